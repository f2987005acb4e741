/** Why what is brought in may be compared; without a reason it is kept apart. */
export function MayBeCompared(props: { because: string; say: (reason: string) => void }) {
  return (
    <label>
      they may be compared, because{" "}
      <input
        className="field w-[300px]"
        placeholder="no reason: kept apart"
        maxLength={280}
        value={props.because}
        onChange={(event) => props.say(event.target.value)}
      />
    </label>
  );
}
