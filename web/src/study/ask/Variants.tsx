/** The variants of a study: which is the baseline, which come in, which go out. */
import type { Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useAddVariant, useTags, useTakeOutVariant } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { InPlace } from "../../parts/InPlace";
import { VariantName } from "../../parts/variants";

export function Variants(props: { study: Study; makeBaseline: (index: number) => void }) {
  const mayChange = useMayChange();
  const { study } = props;
  const add = useAddVariant(study.id);
  const takeOut = useTakeOutVariant(study.id);
  const tags = useTags(study.id);
  const trouble = add.error ?? takeOut.error ?? tags.error;
  return (
    <>
      <table className="w-full max-w-3xl text-left">
        <thead>
          <tr className="border-b border-line text-[12px] text-ink-2">
            <th className="py-1 font-normal">variant</th>
            <th className="font-normal">part</th>
            <th className="font-normal">what a rig starts</th>
            <th className="font-normal">what it has</th>
            <th className="text-right font-normal">runs that finished</th>
            <th className="w-20" aria-label="acts" />
          </tr>
        </thead>
        <tbody>
          {study.variants.map((variant) => {
            const runs = study.runs.filter(
              (run) => run.variant === variant.position && run.state !== "withdrawn",
            );
            const finished = runs.filter((run) => run.outcome === "finished").length;
            const base = variant.position === study.baseline;
            return (
              <tr key={variant.name} className="border-b border-line-2">
                <td className="py-1.5">
                  <VariantName index={variant.position} name={variant.name} />
                </td>
                <td>
                  {base ? (
                    "baseline"
                  ) : (
                    <Acts>
                      <button
                        type="button"
                        className="act"
                        onClick={() => props.makeBaseline(variant.position)}
                      >
                        make it the baseline
                      </button>
                    </Acts>
                  )}
                </td>
                <td className="font-mono text-[12px]">{variant.program}</td>
                <td>
                  <InPlace
                    label={`what ${variant.name} has`}
                    value={variant.tags.join(", ")}
                    placeholder="nothing special"
                    maxLength={300}
                    className="w-36"
                    keep={(text) =>
                      tags.mutate({
                        position: variant.position,
                        tags: text.split(",").flatMap((tag) => tag.trim() || []),
                      })
                    }
                  />
                </td>
                <td className="text-right">
                  {runs.length ? `${finished} of ${runs.length}` : "none yet"}
                </td>
                <td className="text-right">
                  {!runs.length && !base && (
                    <Acts>
                      <button
                        type="button"
                        className="act"
                        onClick={() => takeOut.mutate(variant.position)}
                      >
                        take out
                      </button>
                    </Acts>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {study.others.length > 0 && mayChange && (
        <p className="mt-2 flex items-center gap-2 text-ink-2">
          Bring in
          {study.others.map((other) => (
            <button
              key={other.id}
              type="button"
              className="act font-semibold"
              onClick={() => add.mutate(other.id)}
            >
              + {other.name}
            </button>
          ))}
        </p>
      )}
      {trouble && (
        <p role="alert" className="mt-2 text-behind">
          {trouble.message}
        </p>
      )}
    </>
  );
}
