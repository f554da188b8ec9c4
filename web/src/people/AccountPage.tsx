/** One's own account: where one is signed in, and a new password. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got } from "../api/client";
import { people as words } from "../words/around/people";
import { moment } from "../words/format";
import { useMe } from "./me";

/** What a browser calls itself, in the words people use. */
function browserSaid(name: string): string {
  const browser = ["Firefox", "Edg", "Chrome", "Safari"].find((one) => name.includes(one));
  const system = ["Windows", "Mac OS", "Android", "iPhone", "iPad", "Linux"].find((one) =>
    name.includes(one),
  );
  if (!browser) return words.anotherBrowser;
  const plain = browser === "Edg" ? "Edge" : browser;
  return system ? words.browserOn(plain, system) : plain;
}

function Sessions() {
  const cache = useQueryClient();
  const [fault, setFault] = useState("");
  const sessions = useQuery({
    queryKey: ["sessions"],
    queryFn: () => got(client.GET("/api/me/sessions")),
    staleTime: 0,
  });
  const end = async (work: Promise<unknown>) => {
    setFault("");
    try {
      await work;
    } catch (error) {
      setFault((error as Error).message);
    }
    cache.invalidateQueries({ queryKey: ["sessions"] });
  };
  const all = sessions.data ?? [];
  return (
    <section className="account-part" aria-label={words.whereYouAreSignedIn}>
      <h2>{words.whereYouAreSignedIn}</h2>
      <table className="rows account" aria-label={words.sessions}>
        <thead>
          <tr>
            <th>{words.browser}</th>
            <th>{words.signedInAt}</th>
            <th>{words.lastUsed}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {all.map((one) => (
            <tr key={one.id}>
              <td>{browserSaid(one.browser)}</td>
              <td>{moment(one.made_at)}</td>
              <td>{moment(one.used_at)}</td>
              <td>
                {one.this ? (
                  <span className="quiet">{words.thisOne}</span>
                ) : (
                  <button
                    type="button"
                    className="word"
                    onClick={() =>
                      end(got(client.DELETE("/api/me/sessions/{key}", { params: { path: { key: one.id } } })))
                    }
                  >
                    {words.signOutThere}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {all.length > 1 && (
        <button type="button" className="plain" onClick={() => end(got(client.DELETE("/api/me/sessions")))}>
          {words.signOutEverywhereElse}
        </button>
      )}
      {fault && (
        <p className="fault" role="alert">
          {fault}
        </p>
      )}
    </section>
  );
}

function Password() {
  const cache = useQueryClient();
  const [now, setNow] = useState("");
  const [first, setFirst] = useState("");
  const [second, setSecond] = useState("");
  const [fault, setFault] = useState("");
  const [done, setDone] = useState(false);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    setDone(false);
    setFault(first === second ? "" : words.theTwoDiffer);
    if (first !== second) return;
    try {
      await got(client.POST("/api/me/password", { body: { now, new: first } }));
      setDone(true);
      for (const clear of [setNow, setFirst, setSecond]) clear("");
      cache.invalidateQueries({ queryKey: ["sessions"] });
    } catch (error) {
      setFault((error as Error).message.replace(/^(now|new): /, ""));
    }
  };
  const fields: [string, string, (value: string) => void, string][] = [
    [words.passwordNow, now, setNow, "current-password"],
    [words.newPassword, first, setFirst, "new-password"],
    [words.newPasswordAgain, second, setSecond, "new-password"],
  ];
  return (
    <section className="account-part" aria-label={words.changePassword}>
      <h2>{words.changePassword}</h2>
      <p className="quiet small">{words.atLeastTenCharacters}</p>
      <form onSubmit={send} className="account">
        {fields.map(([label, value, set, complete]) => (
          <label className="field" key={label}>
            <span>{label}</span>
            <input
              type="password"
              value={value}
              autoComplete={complete}
              required
              maxLength={256}
              onChange={(event) => set(event.target.value)}
            />
          </label>
        ))}
        {fault && (
          <p className="fault" role="alert">
            {fault}
          </p>
        )}
        {done && <p role="status">{words.passwordIsChanged}</p>}
        <button type="submit" className="act">
          {words.changePassword}
        </button>
      </form>
    </section>
  );
}

export function AccountPage() {
  const me = useMe();
  return (
    <>
      <h1>{me.name}</h1>
      <p className="lead">{[me.role_title, me.school].filter(Boolean).join(", ")}</p>
      <Sessions />
      <Password />
    </>
  );
}
