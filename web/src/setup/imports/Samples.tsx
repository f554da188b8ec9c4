/** Sample files to try, in the demo only. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";

interface Props {
  busy: boolean;
  onTry: (name: string, look: () => Promise<Schemas["BundleAnswer"]>) => void;
}

export function Samples({ busy, onTry }: Props) {
  const { data } = useQuery({
    queryKey: ["samples"],
    queryFn: () => got(client.GET("/api/setup/samples")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!data?.length) return null;
  return (
    <section aria-label={words.filesToTry}>
      <h2 className="below">{words.filesToTry}</h2>
      <ul className="samples">
        {data.map((one) => (
          <li key={one.name}>
            <button
              type="button"
              className="word"
              disabled={busy}
              onClick={() =>
                onTry(one.name, () =>
                  got(client.POST("/api/setup/samples/{name}", { params: { path: { name: one.name } } })),
                )
              }
            >
              {one.name}
            </button>{" "}
            <span className="quiet">{one.words}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
