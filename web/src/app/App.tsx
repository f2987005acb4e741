/** The frame of every page: header, keys, live events, and which page an address shows. */
import { Navigate, Route, Routes, useNavigate, useSearchParams } from "react-router";
import { Failure } from "../api/client";
import { LiveContext, useLiveConnection } from "../api/live";
import { useRigs, useSession } from "../api/queries";
import { ByHand } from "../byhand/ByHand";
import { CrossedPage } from "../crossed/CrossedPage";
import { WorksPage } from "../crossed/WorksPage";
import { Films } from "../films/Films";
import { Marking } from "../films/Marking";
import { Begin } from "../home/Begin";
import { Home } from "../home/Home";
import { JobPage } from "../job/JobPage";
import { LinePage } from "../line/LinePage";
import { BringIn } from "../logs/BringIn";
import { NightPage } from "../night/NightPage";
import { KeyboardProvider, useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { UndoProvider } from "../parts/Undo";
import { RacePage } from "../race/RacePage";
import { RunPage } from "../run/RunPage";
import { Sessions } from "../sessions/Sessions";
import { ShownPage } from "../shown/ShownPage";
import { StudyPage } from "../study/StudyPage";
import { Workshop } from "../workshop/Workshop";
import { Find } from "./Find";
import { Join } from "./Join";
import { SignIn } from "./SignIn";

export function App() {
  return (
    <Routes>
      <Route path="/join/:token" element={<Join />} />
      <Route path="*" element={<SignedIn />} />
    </Routes>
  );
}

function SignedIn() {
  const session = useSession();
  const [search] = useSearchParams();
  const rigs = useRigs();
  const measuring = (rigs.data ?? []).some((rig) => rig.local && rig.run !== null);
  const live = useLiveConnection(
    session.data?.live_url || undefined,
    session.data?.local === true && measuring,
  );
  if (session.isPending) return <Waiting what="your session" />;
  if (session.error) {
    if (session.error instanceof Failure && [401, 403].includes(session.error.status))
      return <SignIn link={search.get("link")} />;
    return <Trouble what="Noble Yardstick" error={session.error} again={() => session.refetch()} />;
  }
  return (
    <LiveContext value={live}>
      <KeyboardProvider>
        <UndoProvider>
          {session.data.study == null && <EverywhereKeys />}
          {session.data.study == null && <Find />}
          <Routes>
            <Route path="/" element={<HomeOf study={session.data.study ?? null} />} />
            <Route path="/ask" element={<Begin />} />
            <Route path="/put-away" element={<Workshop page="put-away" />} />
            <Route path="/subjects" element={<Workshop page="subjects" />} />
            <Route path="/subjects/:subject/lines/:line" element={<LinePage />} />
            <Route path="/rigs" element={<Workshop page="rigs" />} />
            <Route path="/night" element={<NightPage />} />
            <Route path="/rigs/:name" element={<Workshop page="rigs" />} />
            <Route path="/fixtures" element={<Workshop page="fixtures" />} />
            <Route path="/people" element={<Workshop page="people" />} />
            <Route path="/studies/:study" element={<StudyPage />} />
            <Route path="/studies/:study/bring-in" element={<BringIn />} />
            <Route path="/studies/:study/by-hand" element={<ByHand />} />
            <Route path="/studies/:study/job" element={<JobPage />} />
            <Route path="/studies/:study/crossed" element={<CrossedPage />} />
            <Route path="/studies/:study/works" element={<WorksPage />} />
            <Route path="/studies/:study/shown" element={<ShownPage />} />
            <Route path="/studies/:study/sessions" element={<Sessions />} />
            <Route path="/studies/:study/race" element={<RacePage />} />
            <Route path="/studies/:study/films" element={<Films />} />
            <Route path="/studies/:study/films/:film" element={<Marking />} />
            <Route path="/studies/:study/:notch" element={<StudyPage />} />
            <Route path="/runs/:run" element={<RunPage />} />
            <Route path="*" element={<Lost />} />
          </Routes>
        </UndoProvider>
      </KeyboardProvider>
    </LiveContext>
  );
}

/** All studies; for a guest the one that the link shows. */
function HomeOf(props: { study: number | null }) {
  return props.study === null ? <Home /> : <Navigate to={`/studies/${props.study}/say`} replace />;
}

function EverywhereKeys() {
  const navigate = useNavigate();
  useKeys("Everywhere", [
    { keys: "g h", does: "home: all studies", act: () => navigate("/") },
    { keys: "q", does: "ask a question", act: () => navigate("/ask") },
    { keys: "g b", does: "subjects", act: () => navigate("/subjects") },
    { keys: "g i", does: "rigs", act: () => navigate("/rigs") },
    { keys: "g t", does: "rigs at night", act: () => navigate("/night") },
    { keys: "g f", does: "fixtures", act: () => navigate("/fixtures") },
    { keys: "g p", does: "people", act: () => navigate("/people") },
    { keys: "g x", does: "what is put away", act: () => navigate("/put-away") },
    { keys: "?", does: "show or hide these keys", act: () => undefined },
  ]);
  return null;
}

function Lost() {
  return (
    <main className="p-8">
      <h1 className="text-xl font-semibold">There is nothing at this address.</h1>
      <p className="mt-2">
        <a className="plain" href="/">
          All studies
        </a>
      </p>
    </main>
  );
}
