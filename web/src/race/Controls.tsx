/** Play, pause, speed, steps and single pictures of a race, by buttons and by keys. */
import type { Race, Racer } from "../api/client";
import { useKeys } from "../parts/keyboard";
import { significant, THIN } from "../parts/text";
import { type RaceClock, useShownInstant } from "./clock";

const SPEEDS = [0.25, 0.5, 1, 2, 4];
const SPEED_WORDS = ["¼", "½", "1", "2", "4"];
const PICTURE_S = 1 / 60;

export function Controls(props: { race: Race; clock: RaceClock }) {
  const { race, clock } = props;
  const now = useShownInstant(clock);
  return (
    <div className="my-2 flex items-center gap-4">
      <button
        type="button"
        className="button w-[72px]"
        onClick={() => (clock.playing ? clock.pause() : clock.play())}
      >
        {clock.playing ? "Pause" : now >= race.end_s ? "Again" : "Play"}
      </button>
      <span className="w-[86px] font-mono text-[15px] tabular-nums">{now.toFixed(2)} s</span>
      <fieldset className="flex items-baseline gap-1">
        <legend className="float-left pr-1 text-[12px] text-ink-2">speed</legend>
        {SPEEDS.map((speed, n) => (
          <button
            key={speed}
            type="button"
            aria-pressed={clock.speed === speed}
            className={`px-1 ${clock.speed === speed ? "border-b-2 border-brass font-semibold" : "text-ink-2"}`}
            onClick={() => clock.setSpeed(speed)}
          >
            {SPEED_WORDS[n]}
            {THIN}×
          </button>
        ))}
      </fieldset>
      <span className="text-[12px] text-ink-2">
        <kbd>,</kbd> <kbd>.</kbd> one picture · <kbd>[</kbd> <kbd>]</kbd> step · <kbd>1</kbd>…
        <kbd>{race.racers.length}</kbd> on and off · <kbd>s</kbd> still
      </span>
      <span className="ml-auto text-[12.5px]">
        {race.passes.slice(0, 3).map((pass, n) => (
          <span key={`${pass.racer} ${pass.at_s}`}>
            {n > 0 && ", "}
            {race.racers[pass.racer]?.name} passes {race.racers[pass.other]?.name} at{" "}
            <button type="button" className="text-brass" onClick={() => clock.seek(pass.at_s)}>
              {significant(pass.at_s)}
              {THIN}s
            </button>
          </span>
        ))}
      </span>
    </div>
  );
}

export function useRaceKeys(props: {
  race: Race;
  clock: RaceClock;
  still: () => void;
  hide: (number: number) => void;
}) {
  const { race, clock } = props;
  const picture = (way: number) => {
    clock.pause();
    clock.seek(clock.now() + way * PICTURE_S);
  };
  const base = race.racers[race.baseline] as Racer;
  const starts = [...new Set(base.steps.map((step) => step.start_s)), base.end_s];
  const step = (way: number) => {
    const now = clock.now();
    const later = starts.filter((at) => at > now + 0.01);
    const earlier = starts.filter((at) => at < now - 0.3);
    clock.seek((way > 0 ? later[0] : earlier.at(-1)) ?? (way > 0 ? race.end_s : 0));
  };
  const speed = (way: number) => {
    const place = SPEEDS.indexOf(clock.speed) + way;
    clock.setSpeed(SPEEDS[Math.min(Math.max(0, place), SPEEDS.length - 1)] ?? 1);
  };
  useKeys("Race", [
    { keys: " ", does: "play, pause", act: () => (clock.playing ? clock.pause() : clock.play()) },
    { keys: ",", does: "one picture back", act: () => picture(-1) },
    { keys: ".", does: "one picture on", act: () => picture(1) },
    { keys: "[", does: "to the step before", act: () => step(-1) },
    { keys: "]", does: "to the next step", act: () => step(1) },
    { keys: "-", does: "slower", act: () => speed(-1) },
    { keys: "+", does: "faster", act: () => speed(1) },
    { keys: "0", does: "back to the start", act: () => clock.seek(0) },
    { keys: "s", does: "a still of this moment", act: props.still },
    ...race.racers.map((racer, number) => ({
      keys: `${number + 1}`,
      does: `${racer.name} on and off`,
      act: () => props.hide(number),
    })),
  ]);
}
