/** A study that somebody gave away as a bundle, brought in: checked first, then read anew. */
import { Link, useNavigate } from "react-router";
import {
  type Bundle,
  howFar,
  useBringBundle,
  useBundlesBrought,
  useMeasureAgain,
} from "../api/bundles";
import { count } from "../parts/text";

export function BringBundle() {
  const bring = useBringBundle();
  const brought = useBundlesBrought(true);
  return (
    <>
      <p>
        <label className="text-brass hover:underline">
          {bring.isPending ? "is sent …" : "Bring in a bundle"}
          <input
            type="file"
            accept=".zip"
            className="sr-only"
            disabled={bring.isPending}
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) bring.mutate(file);
              event.target.value = "";
            }}
          />
        </label>{" "}
        <span className="text-ink-2">
          a study with its runs, as one file from another server. What it says is to be started is
          shown and not started.
        </span>
      </p>
      {bring.error && (
        <p role="alert" className="text-behind">
          {bring.error.message}
        </p>
      )}
      <ul aria-label="bundles brought in">
        {(brought.data ?? []).slice(0, 4).map((bundle) => (
          <Brought key={bundle.id} bundle={bundle} />
        ))}
      </ul>
    </>
  );
}

function Brought(props: { bundle: Bundle }) {
  const { bundle } = props;
  const again = useMeasureAgain();
  const navigate = useNavigate();
  return (
    <li className="border-b border-line-2 py-0.5">
      <div className="flex items-baseline gap-3">
        {bundle.study === null ? (
          <span className="min-w-0 flex-1 truncate">{bundle.name}</span>
        ) : (
          <Link className="plain min-w-0 flex-1 truncate" to={`/studies/${bundle.study}/say`}>
            {bundle.name}
          </Link>
        )}
        <span className={bundle.state === "failed" ? "text-behind" : "text-ink-2"}>
          {howFar(bundle)}
        </span>
        {bundle.study !== null && (
          <button
            type="button"
            className="act"
            title="the same variants and session: say what starts each here, then measure"
            disabled={again.isPending}
            onClick={() =>
              again.mutate(bundle.study ?? 0, {
                onSuccess: (made) => navigate(`/studies/${made.id}/ask`),
              })
            }
          >
            measure it again here
          </button>
        )}
      </div>
      {again.error && (
        <p role="alert" className="text-behind">
          {again.error.message}
        </p>
      )}
      {bundle.state === "done" && bundle.differs.length === 0 && (
        <p className="text-[12px] text-ink-2">It says here what it says where it was made.</p>
      )}
      {bundle.differs.length > 0 && (
        <details className="text-[12px]">
          <summary>
            {count(bundle.differs.length, "thing")} read another way here than where it was made
          </summary>
          {bundle.differs.map((text) => (
            <p key={text} className="text-ink-2">
              {text}
            </p>
          ))}
        </details>
      )}
    </li>
  );
}
