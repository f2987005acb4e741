/** The frame of every page: header, keys, live events, and which page an address shows. */
import { Route, Routes, useNavigate, useSearchParams } from "react-router";
import { Failure } from "../api/client";
import { LiveContext, useLiveConnection } from "../api/live";
import { useSession } from "../api/queries";
import { ByHand } from "../byhand/ByHand";
import { Home } from "../home/Home";
import { BringIn } from "../logs/BringIn";
import { KeyboardProvider, useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { RunPage } from "../run/RunPage";
import { StudyPage } from "../study/StudyPage";
import { Find } from "./Find";
import { SignIn } from "./SignIn";

export function App() {
  const session = useSession();
  const [search] = useSearchParams();
  const live = useLiveConnection(session.data?.live_url);
  if (session.isPending) return <Waiting what="your session" />;
  if (session.error) {
    if (session.error instanceof Failure && [401, 403].includes(session.error.status))
      return <SignIn spent={search.get("link") === "spent"} />;
    return <Trouble what="Noble Yardstick" error={session.error} again={() => session.refetch()} />;
  }
  return (
    <LiveContext value={live}>
      <KeyboardProvider>
        <EverywhereKeys />
        <Find />
        <Routes>
          <Route path="/" element={<Home />} />
          <Route path="/studies/:study" element={<StudyPage />} />
          <Route path="/studies/:study/bring-in" element={<BringIn />} />
          <Route path="/studies/:study/by-hand" element={<ByHand />} />
          <Route path="/studies/:study/:notch" element={<StudyPage />} />
          <Route path="/runs/:run" element={<RunPage />} />
          <Route path="*" element={<Lost />} />
        </Routes>
      </KeyboardProvider>
    </LiveContext>
  );
}

function EverywhereKeys() {
  const navigate = useNavigate();
  useKeys("Everywhere", [
    { keys: "g h", does: "home: all studies", act: () => navigate("/") },
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
