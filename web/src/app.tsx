/** The application: who is signed in, the frame, and which page an address opens. */
import {
  QueryCache,
  QueryClient,
  QueryClientProvider,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { ConfigProvider } from "antd";
import { useEffect, useMemo, useState } from "react";
import { BrowserRouter, Link, Route, Routes, useNavigate } from "react-router";
import { client, got, Refused } from "./api/client";
import { CheckPage } from "./check/CheckPage";
import { ComparePage } from "./compare/ComparePage";
import { FiguresPage } from "./figures/FiguresPage";
import { GroupsPage } from "./groups/GroupsPage";
import { GrowthPage } from "./growth/GrowthPage";
import { HomePage } from "./home/HomePage";
import { KeyHelp } from "./keys/KeyHelp";
import { useKeys } from "./keys/useKeys";
import { HidingProvider, useHiding } from "./look/Hiding";
import { antTheme, type Theme } from "./look/theme";
import { PanelProvider } from "./panel/PanelContext";
import { SidePanel } from "./panel/SidePanel";
import { MeContext, useMe } from "./people/me";
import { SignIn } from "./people/SignIn";
import { PinBar } from "./pins/PinBar";
import { PinProvider, usePins } from "./pins/PinContext";
import { ScopeProvider, useScope } from "./scope/ScopeContext";
import { ScopeLine } from "./scope/ScopeLine";
import { CalendarPage } from "./setup/CalendarPage";
import { OutPage } from "./setup/OutPage";
import { SetupPage } from "./setup/SetupPage";
import { SystemsPage } from "./setup/SystemsPage";
import { TestsPage } from "./setup/TestsPage";
import { Find } from "./steps/Find";
import { NotBuilt } from "./steps/NotBuilt";
import { Rail } from "./steps/Rail";
import { OpenView } from "./views/OpenView";
import { ViewsDialog } from "./views/ViewsDialog";

const STEPS = ["check", "compare", "growth", "needs", "groups", "follow-up", "share"];

function useTheme() {
  const [theme, setTheme] = useState<Theme>(() => {
    const kept = localStorage.getItem("bodkin.theme");
    if (kept === "light" || kept === "dark") return kept;
    return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
  });
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  const turn = () => {
    const next = theme === "dark" ? "light" : "dark";
    localStorage.setItem("bodkin.theme", next);
    setTheme(next);
  };
  return { theme, turn };
}

function Frame({ turnTheme, onSignOut }: { turnTheme: () => void; onSignOut: () => void }) {
  const navigate = useNavigate();
  const { to, reset, nothing } = useScope();
  const { hidden, toggle } = useHiding();
  const { act } = usePins();
  const me = useMe();
  const [finding, setFinding] = useState(false);
  const [keys, setKeys] = useState(false);
  const [views, setViews] = useState(false);
  useKeys(
    useMemo(
      () => ({
        ...Object.fromEntries(STEPS.map((step, at) => [String(at + 1), () => navigate(to(`/${step}`))])),
        "0": () => navigate(to("/")),
        "/": () => setFinding(true),
        "?": () => setKeys(true),
        h: toggle,
        u: () => act({ type: "undo" }),
        r: reset,
        d: turnTheme,
        v: () => setViews(true),
      }),
      [navigate, to, toggle, act, reset, turnTheme],
    ),
  );
  return (
    <div className="desk">
      <header className="head">
        <Link to={to("/")} className="logo">
          <i />
          Bodkin
        </Link>
        <ScopeLine />
        <span className="head-tools">
          <button type="button" className="word" onClick={() => setFinding(true)}>
            Find&ensp;/
          </button>
          <button type="button" className="word" onClick={() => setViews(true)}>
            Views&ensp;V
          </button>
          <button type="button" className="word" onClick={() => setKeys(true)} aria-label="? Keys">
            ?
          </button>
        </span>
      </header>
      <Rail onSignOut={onSignOut} />
      <main className="work">
        {hidden && (
          <p className="aside" role="status" style={{ margin: "0 0 10px" }}>
            Names are hidden. <kbd>H</kbd> shows them again.
          </p>
        )}
        <Routes>
          <Route path="/" element={<HomePage />} />
          <Route path="/check" element={nothing ? <HomePage /> : <CheckPage />} />
          <Route path="/compare" element={nothing ? <HomePage /> : <ComparePage />} />
          <Route path="/compare/:view" element={nothing ? <HomePage /> : <ComparePage />} />
          <Route path="/view/:key" element={<OpenView />} />
          <Route path="/growth" element={nothing ? <HomePage /> : <GrowthPage />} />
          <Route path="/groups" element={<GroupsPage />} />
          <Route path="/setup" element={me.may_set_up ? <SetupPage /> : <NotBuilt />} />
          <Route path="/setup/calendar" element={me.may_set_up ? <CalendarPage /> : <NotBuilt />} />
          <Route path="/setup/systems" element={me.may_set_up ? <SystemsPage /> : <NotBuilt />} />
          <Route path="/setup/out" element={me.may_set_up ? <OutPage /> : <NotBuilt />} />
          <Route path="/setup/tests" element={me.may_set_up ? <TestsPage /> : <NotBuilt />} />
          <Route path="/figures" element={<FiguresPage />} />
          <Route path="/:step" element={<NotBuilt />} />
        </Routes>
      </main>
      <PinBar />
      <SidePanel />
      {finding && <Find onClose={() => setFinding(false)} />}
      {views && <ViewsDialog onClose={() => setViews(false)} />}
      {keys && <KeyHelp onClose={() => setKeys(false)} />}
    </div>
  );
}

function Session({ turnTheme }: { turnTheme: () => void }) {
  const cache = useQueryClient();
  const me = useQuery({ queryKey: ["me"], queryFn: () => got(client.GET("/api/me")), retry: false });
  if (me.isError && me.error instanceof Refused && me.error.status === 401) {
    return (
      <SignIn
        onDone={() => {
          cache.clear();
          me.refetch();
        }}
      />
    );
  }
  if (me.isError) {
    return (
      <main className="door">
        <div className="empty">
          <h1>Bodkin cannot be reached</h1>
          <p role="alert">{me.error.message}</p>
          <button type="button" className="plain" onClick={() => me.refetch()}>
            Try again
          </button>
        </div>
      </main>
    );
  }
  if (!me.data) return null;
  const signOut = async () => {
    await got(client.POST("/api/sign-out"));
    sessionStorage.clear();
    cache.clear();
    window.location.assign("/");
  };
  return (
    <MeContext value={me.data}>
      <PinProvider key={me.data.id} person={me.data.id}>
        <HidingProvider>
          <ScopeProvider>
            <PanelProvider>
              <Frame turnTheme={turnTheme} onSignOut={signOut} />
            </PanelProvider>
          </ScopeProvider>
        </HidingProvider>
      </PinProvider>
    </MeContext>
  );
}

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    // A session that has ended shows the door, whichever question met it first.
    onError: (error, query) => {
      if (error instanceof Refused && error.status === 401 && query.queryKey[0] !== "me") {
        queries.resetQueries({ queryKey: ["me"] });
      }
    },
  }),
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      // A refusal stays a refusal; only a server that is away is asked a second time.
      retry: (count, error) =>
        error instanceof Refused && (error.status === 0 || error.status === 503) && count < 1,
    },
  },
});

export function App() {
  const { theme, turn } = useTheme();
  return (
    <ConfigProvider theme={antTheme(theme)} wave={{ disabled: true }}>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Session turnTheme={turn} />
        </BrowserRouter>
      </QueryClientProvider>
    </ConfigProvider>
  );
}
