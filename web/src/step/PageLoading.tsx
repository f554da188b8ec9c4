/** Around the pages: what stands there while a page's script is on its way, and where it does not come. */
import { Component, type ReactNode, Suspense } from "react";
import { step as words } from "../words/around/step";

/** A script that does not come: the server is away, or a newer release has other files. To load the page anew mends both. */
class ScriptMissing extends Component<{ children: ReactNode }, { failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  override render() {
    if (!this.state.failed) return this.props.children;
    return (
      <div className="empty">
        <h1>{words.pageDidNotLoad}</h1>
        <p role="alert">{words.pageDidNotLoadLead}</p>
        <button type="button" className="plain" onClick={() => window.location.reload()}>
          {words.loadAgain}
        </button>
      </div>
    );
  }
}

export function PageLoading({ children }: { children: ReactNode }) {
  const waiting = (
    <p className="quiet" role="status">
      {words.loading}
    </p>
  );
  return (
    <ScriptMissing>
      <Suspense fallback={waiting}>{children}</Suspense>
    </ScriptMissing>
  );
}
