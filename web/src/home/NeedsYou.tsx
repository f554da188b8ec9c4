/** What came in on its own and needs a decision: files of the watched folder, for whoever sets Bodkin up. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { client, got } from "../api/client";
import { home as words } from "../words/steps/home";

export function NeedsYou() {
  const { data } = useQuery({
    queryKey: ["imports", "watched"],
    queryFn: () => got(client.GET("/api/watched")),
    refetchInterval: 60_000,
  });
  if (!data?.waiting.length) return null;
  return (
    <p className="aside" role="status">
      <Link to="/setup">{words.filesNeedYou(data.waiting.length)}</Link>
    </p>
  );
}
