/** The door. */
import { type FormEvent, useState } from "react";
import { client, got } from "../api/client";

export function SignIn({ onDone }: { onDone: () => void }) {
  const [login, setLogin] = useState("");
  const [password, setPassword] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setFault("");
    try {
      await got(client.POST("/api/sign-in", { body: { login: login.trim(), password } }));
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
          Bodkin
        </h1>
        <p className="quiet" style={{ marginBottom: 18 }}>
          One calm desk for the testing round.
        </p>
        <label className="field">
          <span>Login</span>
          <input
            value={login}
            onChange={(event) => setLogin(event.target.value)}
            autoComplete="username"
            required
          />
        </label>
        <label className="field">
          <span>Password</span>
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
        <button type="submit" className="act" disabled={busy} style={{ marginTop: 6 }}>
          Sign in
        </button>
      </form>
    </main>
  );
}
