/** The watched folder: where it is, when it is looked at, and which of its files need a person. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";
import type { useWork } from "../useWork";

interface Props {
  work: ReturnType<typeof useWork>;
  onTry: (name: string, look: () => Promise<Schemas["BundleAnswer"]>) => void;
}

const HOURS = [...Array(24).keys()];
const clock = (hour: number) => `${String(hour).padStart(2, "0")}:00`;

/** The folder and what waits in it, asked for again every minute. */
export function useWatched() {
  return useQuery({
    queryKey: ["imports", "watched"],
    queryFn: () => got(client.GET("/api/watched")),
    refetchInterval: 60_000,
  });
}

export function WatchedFolder({ work, onTry }: Props) {
  const cache = useQueryClient();
  const { data } = useWatched();
  if (!data) return null;
  const setHour = (text: string) =>
    work.doing(words.keepingTheHour, async () => {
      const at_hour = text === "" ? null : Number(text);
      await got(client.PUT("/api/watched/hour", { body: { at_hour } }));
      cache.invalidateQueries({ queryKey: ["imports"] });
    });
  const leave = (name: string) =>
    work.doing(words.leavingOut(name), async () => {
      await got(client.DELETE("/api/watched/{name}", { params: { path: { name } } }));
      cache.invalidateQueries({ queryKey: ["imports"] });
    });
  return (
    <section aria-label={words.theWatchedFolder}>
      <h2 className="below">{words.theWatchedFolder}</h2>
      <p className="quiet">
        {words.filesDroppedThere} <code>{data.folder}</code>.{" "}
        <label>
          {words.isLookedAt}{" "}
          <select
            className="input hour"
            value={data.at_hour ?? ""}
            disabled={Boolean(work.busy)}
            onChange={(event) => setHour(event.target.value)}
          >
            <option value="">{words.everyMinute}</option>
            {HOURS.map((hour) => (
              <option key={hour} value={hour}>
                {words.dailyAt(clock(hour))}
              </option>
            ))}
          </select>
        </label>
      </p>
      {data.waiting.length > 0 && (
        <>
          <p role="status">{words.filesNeedYou(data.waiting.length)}</p>
          <table className="rows" aria-label={words.filesThatNeedYou}>
            <tbody>
              {data.waiting.map((one) => (
                <tr key={one.name}>
                  <td className="wraps">{one.name}</td>
                  <td className="wraps">{one.why}</td>
                  <td className="quiet">
                    {new Date(`${one.at}Z`).toLocaleString("en", { dateStyle: "medium", timeStyle: "short" })}
                  </td>
                  <td className="num">
                    <button
                      type="button"
                      className="word"
                      disabled={Boolean(work.busy)}
                      onClick={() =>
                        onTry(one.name, () =>
                          got(client.POST("/api/watched/{name}", { params: { path: { name: one.name } } })),
                        )
                      }
                    >
                      {words.lookAtIt}
                    </button>{" "}
                    <button
                      type="button"
                      className="word"
                      disabled={Boolean(work.busy)}
                      onClick={() => leave(one.name)}
                    >
                      {words.leaveIt}
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}
