/** What is being done for this person just now, and how far it is. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { many } from "../words/format";
import { setup as words } from "../words/steps/setup";

export function Busy({ what }: { what: string }) {
  const { data } = useQuery({
    queryKey: ["imports", "progress"],
    queryFn: () => got(client.GET("/api/imports/progress")),
    refetchInterval: 400,
    gcTime: 0,
  });
  return (
    <p className="busy">
      {data?.what ? `${data.what} …` : what}
      {data && data.all > 0 && (
        <>
          {" "}
          <progress value={data.done} max={data.all} aria-label={data.what} />{" "}
          <span className="quiet">
            {many(data.done)} {words.of} {many(data.all)}
          </span>
        </>
      )}
    </p>
  );
}
