/** The application: who is signed in, the frame, and which page an address opens. */
import {
  type InvalidateOptions,
  type InvalidateQueryFilters,
  QueryCache,
  QueryClient,
  QueryClientProvider,
  type QueryKey,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { ConfigProvider } from "antd";
import { type ComponentType, lazy, type ReactNode, useEffect, useState } from "react";
import { BrowserRouter, Route, Routes } from "react-router";
import { client, got, onNewDay, Refused } from "./api/client";
import { Frame } from "./frame/Frame";
import { HomePage } from "./home/HomePage";
import { PanelProvider } from "./panel/PanelContext";
import { HidingProvider } from "./people/Hiding";
import { MeContext, useMe } from "./people/me";
import { SignIn } from "./people/SignIn";
import { PinProvider } from "./pins/PinContext";
import { ScopeProvider, useScope } from "./scope/ScopeContext";
import { NoSuchPage, NotForYou } from "./step/NoSuchPage";
import { PageLoading } from "./step/PageLoading";
import { antTheme } from "./styles/theme";
import type { Theme } from "./styles/tokens";
import { OpenRemark } from "./views/OpenRemark";
import { OpenView } from "./views/OpenView";
import { frame as words } from "./words/around/frame";

/** A page whose script is fetched when its address is first opened; the first page is small so. */
const page = <Name extends string>(load: () => Promise<Record<Name, ComponentType>>, name: Name) =>
  lazy(() => load().then((part) => ({ default: part[name] })));

const CheckPage = page(() => import("./check/CheckPage"), "CheckPage");
const ComparePage = page(() => import("./compare/ComparePage"), "ComparePage");
const FiguresPage = page(() => import("./figures/FiguresPage"), "FiguresPage");
const FollowUpPage = page(() => import("./follow-up/FollowUpPage"), "FollowUpPage");
const BoardPage = page(() => import("./groups/BoardPage"), "BoardPage");
const GrowthPage = page(() => import("./growth/GrowthPage"), "GrowthPage");
const NeedsPage = page(() => import("./needs/NeedsPage"), "NeedsPage");
const AccountPage = page(() => import("./people/AccountPage"), "AccountPage");
const CalendarPage = page(() => import("./setup/CalendarPage"), "CalendarPage");
const SetupPage = page(() => import("./setup/imports/SetupPage"), "SetupPage");
const LogsPage = page(() => import("./setup/LogsPage"), "LogsPage");
const OutPage = page(() => import("./setup/OutPage"), "OutPage");
const SystemsPage = page(() => import("./setup/systems/SystemsPage"), "SystemsPage");
const TestsPage = page(() => import("./setup/tests/TestsPage"), "TestsPage");
const SharePage = page(() => import("./share/SharePage"), "SharePage");
const StudentPage = page(() => import("./student/StudentPage"), "StudentPage");

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

function Pages() {
  const { nothing } = useScope();
  const me = useMe();
  const setup = (page: ReactNode) => (me.may_set_up ? page : <NotForYou whose={words.theDataCoachSetsUp} />);
  const logs = me.may_see_logs ? <LogsPage /> : <NotForYou whose={words.coachesAndLeadsSeeLogs} />;
  const pages = me.may_make_pages ? <SharePage /> : <NotForYou whose={words.teachersMakePages} />;
  const share = nothing ? <HomePage /> : pages;
  return (
    <PageLoading>
      <Routes>
        <Route path="/" element={<HomePage />} />
        <Route path="/check" element={nothing ? <HomePage /> : <CheckPage />} />
        <Route path="/compare" element={nothing ? <HomePage /> : <ComparePage />} />
        <Route path="/compare/:view" element={nothing ? <HomePage /> : <ComparePage />} />
        <Route path="/view/:key" element={<OpenView />} />
        <Route path="/remark/:key" element={<OpenRemark />} />
        <Route path="/growth" element={nothing ? <HomePage /> : <GrowthPage />} />
        <Route path="/needs" element={nothing ? <HomePage /> : <NeedsPage />} />
        <Route path="/needs/:view" element={nothing ? <HomePage /> : <NeedsPage />} />
        <Route path="/groups" element={<BoardPage />} />
        <Route path="/groups/:view" element={<BoardPage />} />
        <Route path="/setup" element={setup(<SetupPage />)} />
        <Route path="/setup/calendar" element={setup(<CalendarPage />)} />
        <Route path="/setup/systems" element={setup(<SystemsPage />)} />
        <Route path="/setup/out" element={setup(<OutPage />)} />
        <Route path="/setup/tests" element={setup(<TestsPage />)} />
        <Route path="/logs" element={logs} />
        <Route path="/account" element={<AccountPage />} />
        <Route path="/figures" element={<FiguresPage />} />
        <Route path="/follow-up" element={<FollowUpPage />} />
        <Route path="/follow-up/:view" element={<FollowUpPage />} />
        <Route path="/follow-up/:view/:more" element={<FollowUpPage />} />
        <Route path="/share" element={share} />
        <Route path="/share/:view" element={share} />
        <Route path="/student/:id" element={<StudentPage />} />
        <Route path="/:step" element={<NoSuchPage />} />
      </Routes>
    </PageLoading>
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
          <h1>{words.bodkinCannotBeReached}</h1>
          <p role="alert">{me.error.message}</p>
          <button type="button" className="plain" onClick={() => me.refetch()}>
            {words.tryAgain}
          </button>
        </div>
      </main>
    );
  }
  if (!me.data) return null;
  const signOut = async () => {
    // An answer still on its way would be refused now, and show a sign-in form that is gone a moment later.
    await cache.cancelQueries();
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
              <Frame turnTheme={turnTheme} onSignOut={signOut}>
                <Pages />
              </Frame>
            </PanelProvider>
          </ScopeProvider>
        </HidingProvider>
      </PinProvider>
    </MeContext>
  );
}

/** Asks anew when data have changed, also where an answer is still on its way: that one is of before the change. */
class Queries extends QueryClient {
  override async invalidateQueries<Key extends QueryKey = QueryKey>(
    filters?: InvalidateQueryFilters<Key>,
    options?: InvalidateOptions,
  ): Promise<void> {
    // Where a first answer has not come yet, the library would wait for it and take it as fresh.
    await this.cancelQueries(filters);
    await super.invalidateQueries(filters, options);
  }
}

const queries: QueryClient = new Queries({
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
  // A page left open over night is of the day before: what is due, who is in reach and what today means have moved.
  useEffect(() => onNewDay(() => void queries.invalidateQueries()), []);
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
