/** The door; in the demo with its invented people, each one click away. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got } from "../api/client";
import { people as words } from "../words/around/people";

export function SignIn({ onDone }: { onDone: () => void }) {
  const [login, setLogin] = useState("");
  const [password, setPassword] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  const demo = useQuery({
    queryKey: ["demo"],
    queryFn: () => got(client.GET("/api/demo")),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    enter(login.trim(), password);
  };
  const enter = async (who: string, secret: string) => {
    setBusy(true);
    setFault("");
    try {
      await got(client.POST("/api/sign-in", { body: { login: who, password: secret } }));
      onDone();
    } catch (error) {
      setFault((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <main className="door">
      <form onSubmit={send}>
        <h1 className="logo">
          <i />
          {words.bodkin}
        </h1>
        <p className="quiet u-below-18">{words.oneCalmDeskForThe}</p>
        <label className="field">
          <span>{words.login}</span>
          <input
            value={login}
            onChange={(event) => setLogin(event.target.value)}
            autoComplete="username"
            required
          />
        </label>
        <label className="field">
          <span>{words.password}</span>
          <input
            type="password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            autoComplete="current-password"
            required
          />
        </label>
        {fault && (
          <p className="fault" role="alert">
            {fault}
          </p>
        )}
        <button type="submit" className="act u-above-8" disabled={busy}>
          {words.signIn}
        </button>
        {demo.data && (
          <section className="invented" aria-label={words.theDemo}>
            <p className="quiet small">{words.allIsInvented}</p>
            <ul>
              {demo.data.people.map((one) => (
                <li key={one.login}>
                  <button
                    type="button"
                    className="word"
                    disabled={busy}
                    onClick={() => enter(one.login, demo.data?.password ?? "")}
                  >
                    {one.name}
                  </button>{" "}
                  <span className="quiet">{one.role}</span>
                </li>
              ))}
            </ul>
          </section>
        )}
      </form>
    </main>
  );
}
