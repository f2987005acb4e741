/** Profiles: for whom the study is read, what counts for them, what must not get worse. */
import { useState } from "react";
import { useMove } from "../../api/asking";
import type { Board, Profile, ProfileValues, Row, Study } from "../../api/client";
import { useBoard, useForgetProfile, useKeepProfile, useProfiles } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { NumberInPlace } from "../../parts/InPlace";
import { count } from "../../parts/text";
import { useOfferUndo } from "../../parts/Undo";
import { rowKey } from "../read/rows";
import { fullName, RowSelect } from "../rowChoice";

const EMPTY: ProfileValues = { name: "", about: "", weights: [], limits: [] };
type Place = ProfileValues["limits"][number];

const placeKey = (place: { metric: string; stretch: string[] }) =>
  [place.metric, ...place.stretch].join("~");

export function Profiles(props: { study: Study }) {
  const profiles = useProfiles(props.study.id);
  const board = useBoard(props.study.id);
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const rows = (board.data?.rows ?? []).filter((row) => row.judged);
  return (
    <section id="profiles" className="max-w-3xl">
      <h3 className="sr-only">Profiles</h3>
      {profiles.data?.length === 0 && (
        <p className="text-ink-2">
          No profile yet. A profile is one kind of user and what matters to them, say somebody with
          little memory. Decide then recommends for each.
        </p>
      )}
      <ul>
        {profiles.data?.map((profile) =>
          editing === profile.id && board.data ? (
            <li key={profile.id} className="border-b border-line-2 py-2">
              <Editor
                study={props.study}
                board={board.data}
                rows={rows}
                profile={profile}
                done={() => setEditing(null)}
              />
            </li>
          ) : (
            <li
              key={profile.id}
              className="grid grid-cols-[150px_1fr_auto] items-baseline gap-3 border-b border-line-2 py-1.5"
            >
              <span className="font-semibold">{profile.name}</span>
              <span>
                {profile.about}{" "}
                <span className="text-ink-2">
                  {count(profile.weights.length, "metric")} weighed
                  {profile.limits.length > 0 && `, ${count(profile.limits.length, "limit")}`}
                </span>
              </span>
              <Acts>
                <button type="button" className="act" onClick={() => setEditing(profile.id)}>
                  change
                </button>
              </Acts>
            </li>
          ),
        )}
      </ul>
      {editing === "new" && board.data ? (
        <div className="py-2">
          <Editor
            study={props.study}
            board={board.data}
            rows={rows}
            done={() => setEditing(null)}
          />
        </div>
      ) : (
        rows.length > 0 && (
          <Acts>
            <button type="button" className="button-quiet mt-3" onClick={() => setEditing("new")}>
              Add a profile
            </button>
          </Acts>
        )
      )}
    </section>
  );
}

function Editor(props: {
  study: Study;
  board: Board;
  rows: Row[];
  profile?: Profile;
  done: () => void;
}) {
  const keep = useKeepProfile(props.study.id);
  const forget = useForgetProfile(props.study.id);
  const move = useMove();
  const offer = useOfferUndo();
  const remove = async () => {
    const { profile } = props;
    if (!profile) return;
    await forget.mutateAsync(profile.id);
    props.done();
    offer({
      text: `The profile “${profile.name}” was deleted.`,
      undo: () => move.mutate({ kind: "profile", id: profile.id, state: "active" }),
    });
  };
  const [draft, setDraft] = useState<ProfileValues>(props.profile ?? EMPTY);
  const named = new Map(props.board.rows.map((row) => [rowKey(row), row]));
  const nameOf = (place: { metric: string; stretch: string[] }) => {
    const row = named.get(placeKey(place));
    return row ? fullName(row) : `${place.metric} of ${place.stretch.join(" / ")}`;
  };
  const metricOf = (row: Row) => row.metric as Place["metric"];
  const without = <T,>(list: T[], place: number) => list.filter((_, index) => index !== place);
  const left = (places: Place[]) => {
    const used = new Set(places.map(placeKey));
    return props.rows.filter((row) => !used.has(rowKey(row)));
  };
  const submit = (event: React.FormEvent) => {
    event.preventDefault();
    keep.mutate(
      { id: props.profile?.id, body: { ...draft, name: draft.name.trim() } },
      { onSuccess: props.done },
    );
  };
  return (
    <form onSubmit={submit} className="border-l-2 border-brass bg-card px-4 py-3">
      <div className="flex gap-2">
        <input
          aria-label="name of the profile"
          className="field w-44 font-semibold"
          placeholder="who"
          maxLength={80}
          value={draft.name}
          onChange={(event) => setDraft({ ...draft, name: event.target.value })}
        />
        <input
          aria-label="about the profile"
          className="field flex-1"
          placeholder="what they do all day"
          maxLength={300}
          value={draft.about}
          onChange={(event) => setDraft({ ...draft, about: event.target.value })}
        />
      </div>
      <h3 className="mt-3 text-[12px] text-ink-2">what counts, and how much beside the others</h3>
      {draft.weights.map((one, place) => (
        <Entry
          key={placeKey(one)}
          drop={() => setDraft({ ...draft, weights: without(draft.weights, place) })}
        >
          <NumberInPlace
            label={`weight of ${nameOf(one)}`}
            value={one.weight}
            most={100}
            className="w-12"
            keep={(weight) =>
              setDraft({
                ...draft,
                weights: draft.weights.map((w, at) =>
                  at === place ? { ...w, weight: weight ?? 0 } : w,
                ),
              })
            }
          />
          <span className="flex-1">× {nameOf(one)}</span>
        </Entry>
      ))}
      <RowSelect
        label="add what counts"
        prompt="+ what counts"
        rows={left(draft.weights)}
        choose={(row) =>
          setDraft({
            ...draft,
            weights: [...draft.weights, { metric: metricOf(row), stretch: row.stretch, weight: 1 }],
          })
        }
      />
      <h3 className="mt-3 text-[12px] text-ink-2">what must not get worse</h3>
      {draft.limits.map((one, place) => (
        <Entry
          key={placeKey(one)}
          drop={() => setDraft({ ...draft, limits: without(draft.limits, place) })}
        >
          <span className="flex-1">{nameOf(one)}, by more than</span>
          <NumberInPlace
            label={`tolerance of ${nameOf(one)}`}
            value={one.tolerance ?? null}
            optional
            most={1000}
            className="w-20"
            keep={(tolerance) =>
              setDraft({
                ...draft,
                limits: draft.limits.map((m, at) => (at === place ? { ...m, tolerance } : m)),
              })
            }
          />
          <span className="w-40 text-ink-2">
            {named.get(placeKey(one))?.in_percent === false
              ? named.get(placeKey(one))?.amount_unit || "counts"
              : "%"}{" "}
            {one.tolerance == null && "(empty: what matters)"}
          </span>
        </Entry>
      ))}
      <RowSelect
        label="add a limit"
        prompt="+ limit"
        rows={left(draft.limits)}
        choose={(row) =>
          setDraft({
            ...draft,
            limits: [
              ...draft.limits,
              { metric: metricOf(row), stretch: row.stretch, tolerance: null },
            ],
          })
        }
      />
      <div className="mt-3 flex items-center gap-2">
        <button type="submit" className="button" disabled={!draft.name.trim() || keep.isPending}>
          Keep
        </button>
        <button type="button" className="button-quiet" onClick={props.done}>
          Leave it
        </button>
        {props.profile && (
          <button type="button" className="act ml-auto" onClick={remove}>
            delete this profile
          </button>
        )}
      </div>
      {keep.error && (
        <p role="alert" className="mt-2 text-behind">
          {keep.error.message}
        </p>
      )}
    </form>
  );
}

/** A line of a profile that can be dropped. */
function Entry(props: { drop: () => void; children: React.ReactNode }) {
  return (
    <div className="flex items-center gap-2 py-0.5">
      {props.children}
      <button type="button" className="act" onClick={props.drop}>
        drop
      </button>
    </div>
  );
}
