/** A page of its own that belongs to a study: its header, and what is shown until it is there. */
import { Link } from "react-router";
import type { Study } from "../api/client";
import { useStudy } from "../api/queries";
import { Header } from "../parts/Header";
import { Trouble, Waiting } from "../parts/Trouble";
import { Looks } from "../parts/variants";

export function OfStudy(props: { id: number; children: (study: Study) => React.ReactNode }) {
  const study = useStudy(props.id);
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        {study.data && (
          <>
            {study.data.subject} <span className="px-1">/</span>{" "}
            <Link to={`/studies/${props.id}/measure`} className="font-semibold text-head-ink">
              {study.data.question}
            </Link>
          </>
        )}
      </Header>
      {study.isPending && <Waiting what="the study" />}
      {study.error && (
        <Trouble what="This study" error={study.error} again={() => study.refetch()} />
      )}
      {study.data && (
        <Looks baseline={study.data.baseline} className="contents">
          <main className="min-h-0 flex-1 overflow-auto px-6 py-4">
            {props.children(study.data)}
          </main>
        </Looks>
      )}
    </div>
  );
}
