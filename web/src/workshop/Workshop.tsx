/** What the work is done with, and who does it: subjects, rigs, fixtures, people. */
import { useNavigate, useParams } from "react-router";
import { useShelf } from "../api/asking";
import { useRigs, useSession } from "../api/queries";
import { useFixtures, useSubjects } from "../api/workshop";
import { Header } from "../parts/Header";
import { useKeys } from "../parts/keyboard";
import { NotchRule } from "../parts/NotchRule";
import { count } from "../parts/text";
import { People } from "../people/People";
import { Fixtures } from "./Fixtures";
import { RigDetailPage, RigsPage } from "./RigsPage";
import { Shelf } from "./Shelf";
import { Subjects } from "./Subjects";

const PAGES: Record<string, () => React.ReactNode> = {
  subjects: Subjects,
  rigs: RigsPage,
  fixtures: Fixtures,
  people: People,
  "put-away": Shelf,
};

export function Workshop(props: { page: keyof typeof PAGES & string }) {
  const session = useSession();
  const subjects = useSubjects();
  const rigs = useRigs();
  const fixtures = useFixtures();
  const shelf = useShelf();
  const navigate = useNavigate();
  const { name } = useParams();
  useKeys("Workshop", [{ keys: "Escape", does: "back to all studies", act: () => navigate("/") }]);
  const Page = name ? RigDetailPage : PAGES[props.page];
  const there = (rigs.data ?? []).filter((rig) => !["never seen", "revoked"].includes(rig.state));
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        <span className="font-semibold text-head-ink">{session.data?.workspace}</span>
      </Header>
      <NotchRule
        label="Workshop"
        chosen={props.page}
        notches={[
          {
            id: "subjects",
            name: "Subjects",
            to: "/subjects",
            state: subjects.data ? count(subjects.data.length, "program") : "",
          },
          {
            id: "rigs",
            name: "Rigs",
            to: "/rigs",
            state: rigs.data ? `${there.length} of ${rigs.data.length} connected` : "",
          },
          {
            id: "fixtures",
            name: "Fixtures",
            to: "/fixtures",
            state: fixtures.data ? count(fixtures.data.length, "file") : "",
          },
          {
            id: "people",
            name: "People",
            to: "/people",
            state: session.data ? `you: ${session.data.role}` : "",
          },
          {
            id: "put-away",
            name: "Put away",
            to: "/put-away",
            state: shelf.data ? (shelf.data.length ? `${shelf.data.length} kept` : "nothing") : "",
          },
        ]}
      />
      <main tabIndex={0} className="min-h-0 flex-1 overflow-auto px-6 pt-5 pb-10">
        {Page && <Page />}
      </main>
    </div>
  );
}
