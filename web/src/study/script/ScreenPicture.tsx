/** What the rig's screen shows, large enough to pick places on. */
import { useState } from "react";
import type { Rehearsal } from "../../api/client";
import { duration } from "../../parts/text";
import { type Drawn, placeName, placeOf } from "./places";

export function ScreenPicture(props: {
  rehearsal: Rehearsal;
  add: (name: string, place: string) => void;
}) {
  const { rehearsal } = props;
  // An image that is being replaced has no size: that of the last one holds.
  const [size, setSize] = useState({ width: 1, height: 1 });
  const [drawn, setDrawn] = useState<Drawn | null>(null);
  const [drawing, setDrawing] = useState(false);
  const [name, setName] = useState("");
  const at = (event: React.PointerEvent): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [
      ((event.clientX - box.left) / box.width) * size.width,
      ((event.clientY - box.top) / box.height) * size.height,
    ];
  };
  const place = drawn && placeOf(drawn, rehearsal.windows);
  const share = (value: number, whole: number) => `${(100 * value) / whole}%`;
  return (
    <div>
      <div
        className="relative cursor-crosshair touch-none border border-line select-none"
        onPointerDown={(event) => {
          const [x, y] = at(event);
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrawing(true);
          setDrawn({ x1: x, y1: y, x2: x, y2: y });
        }}
        onPointerMove={(event) => {
          if (!drawing) return;
          const [x, y] = at(event);
          setDrawn((now) => now && { ...now, x2: x, y2: y });
        }}
        onPointerUp={() => setDrawing(false)}
      >
        <img
          draggable={false}
          onLoad={(event) => {
            const { naturalWidth: width, naturalHeight: height } = event.currentTarget;
            setSize({ width, height });
          }}
          src={`/api/rehearsals/${rehearsal.id}/picture?n=${rehearsal.pictures}`}
          alt={`the screen ${duration(rehearsal.elapsed_s)} into the rehearsal`}
          className="block w-full"
        />
        {drawn && (
          <span
            className="absolute border-2 border-brass bg-brass/20"
            style={{
              left: share(Math.min(drawn.x1, drawn.x2), size.width),
              top: share(Math.min(drawn.y1, drawn.y2), size.height),
              width: share(Math.abs(drawn.x2 - drawn.x1), size.width),
              height: share(Math.abs(drawn.y2 - drawn.y1), size.height),
            }}
          />
        )}
      </div>
      {!drawn && (
        <p className="mt-1 text-[12px] text-ink-2">
          drag over the picture, or click in it, to make a place of the script
        </p>
      )}
      {drawn && !drawing && (
        <form
          className="mt-1 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (!place || !placeName.test(name)) return;
            props.add(name, place);
            setDrawn(null);
            setName("");
          }}
        >
          {place ? (
            <>
              <label className="flex items-center gap-1 font-mono text-[12.5px]">
                place
                <input
                  // biome-ignore lint/a11y/noAutofocus: it opens where a place was just picked
                  autoFocus
                  aria-label="name of the place"
                  className="field w-28"
                  placeholder="cloth"
                  value={name}
                  onChange={(event) => setName(event.target.value)}
                  onKeyDown={(event) => event.key === "Escape" && setDrawn(null)}
                />
                = {place}
              </label>
              <button type="submit" className="button-quiet" disabled={!placeName.test(name)}>
                Add it
              </button>
            </>
          ) : (
            <span className="flex-1 text-ink-2">there is no window of the program here</span>
          )}
          <button type="button" className="act" onClick={() => setDrawn(null)}>
            leave it
          </button>
        </form>
      )}
    </div>
  );
}
