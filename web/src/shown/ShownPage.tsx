/** Numbers that a program only shows: doubtful ones are settled here, by looking at their picture. */
import { useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import type { Study } from "../api/client";
import { useMayChange } from "../api/people";
import { type ShownNumber, useSettle, useShown } from "../api/shown";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, moment, significant } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { numberTyped } from "./typed";

export function ShownPage() {
  const id = Number(useParams().study);
  return <OfStudy id={id}>{(study) => <Body study={study} />}</OfStudy>;
}

function Body(props: { study: Study }) {
  const { study } = props;
  const shown = useShown(study.id);
  const mayChange = useMayChange();
  if (shown.isPending) return <Waiting what="the numbers" />;
  if (shown.error)
    return <Trouble what="The numbers" error={shown.error} again={() => shown.refetch()} />;
  const waiting = shown.data.numbers.filter((one) => !one.settled);
  const settled = shown.data.numbers.filter((one) => one.settled);
  return (
    <>
      <h1 className="text-[20px] font-semibold">Numbers on the screen</h1>
      <p className="mt-1 max-w-3xl text-ink-2">
        The program only shows them, so they were read from pictures: several times each, and taken
        only where all readings agreed. The others count nowhere until a person has looked. Where a
        number changed while it was looked at, the last picture is shown.
      </p>
      {shown.data.numbers.length === 0 && (
        <p className="mt-6 max-w-3xl">
          No run of this study took a number from a picture. A script asks for one with{" "}
          <code>take score from picture at score as points, higher is better</code>.
        </p>
      )}
      {waiting.length > 0 && (
        <section aria-label="Waiting" className="mt-5">
          <h2 className="text-[16px] font-semibold">
            {count(waiting.length, "number")} to look at
          </h2>
          <ul className="mt-2 grid max-w-4xl gap-3">
            {waiting.map((one, place) => (
              <Doubtful
                key={one.id}
                study={study.id}
                number={one}
                first={place === 0}
                mayChange={mayChange}
              />
            ))}
          </ul>
        </section>
      )}
      {settled.length > 0 && <Settled study={study.id} numbers={settled} mayChange={mayChange} />}
    </>
  );
}

function What(props: { number: ShownNumber }) {
  const { number } = props;
  return (
    <span>
      <b>{number.name}</b> <span className="text-ink-2">in {number.where.join(" / ")},</span>{" "}
      <VariantName index={number.variant} name={number.variant_name} />
      <Link className="plain ml-2 text-[12.5px]" to={`/runs/${number.run}`}>
        run {number.run}
      </Link>
    </span>
  );
}

function Picture(props: { number: ShownNumber; high: number }) {
  const { number, high } = props;
  if (!number.picture) return <span className="text-ink-2">no picture</span>;
  return (
    <img
      src={`/api/runs/${number.run}/pictures/${number.picture}`}
      alt={`${number.name} as the screen showed it`}
      className="max-w-full border border-line object-contain"
      style={{ height: high, imageRendering: "pixelated" }}
    />
  );
}

/** One that waits: its picture, what was read, and a field; Enter takes it and goes to the next. */
function Doubtful(props: {
  study: number;
  number: ShownNumber;
  first: boolean;
  mayChange: boolean;
}) {
  const { study, number, first, mayChange } = props;
  const [text, setText] = useState(number.proposal === null ? "" : String(number.proposal));
  const field = useRef<HTMLInputElement>(null);
  const settle = useSettle(study);
  const value = numberTyped(text);
  useEffect(() => {
    if (first) field.current?.select();
  }, [first]);
  return (
    <li className="grid grid-cols-[280px_minmax(0,1fr)] gap-5 border-b border-line pb-3">
      <Picture number={number} high={88} />
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (value !== null) settle.mutate({ number: number.id, value });
        }}
      >
        <What number={number} />
        <p className="mt-0.5 text-[12.5px] text-ink-2">
          {number.doubt}
          {number.text && `; read as “${number.text}”`}
        </p>
        {mayChange && (
          <p className="mt-1.5 flex items-baseline gap-2">
            <input
              ref={field}
              className="field num w-36"
              aria-label={`What stands there for ${number.name} of run ${number.run}`}
              inputMode="decimal"
              value={text}
              onChange={(event) => setText(event.target.value)}
            />
            <span className="text-ink-2">{number.unit}</span>
            <button type="submit" className="button" disabled={value === null || settle.isPending}>
              This stands there
            </button>
            <button
              type="button"
              className="plain"
              disabled={settle.isPending}
              onClick={() => settle.mutate({ number: number.id, value: null })}
            >
              Nothing can be read
            </button>
          </p>
        )}
        {settle.error && <p className="text-behind">{settle.error.message} Nothing was kept.</p>}
      </form>
    </li>
  );
}

function Settled(props: { study: number; numbers: ShownNumber[]; mayChange: boolean }) {
  const [changing, setChanging] = useState<number | null>(null);
  return (
    <section aria-label="Settled" className="mt-7">
      <h2 className="text-[16px] font-semibold">
        {count(props.numbers.length, "number")} that count
      </h2>
      <table className="mt-2 w-full max-w-4xl text-left">
        <thead className="text-[12.5px] text-ink-2">
          <tr>
            <th className="py-1 font-normal">picture</th>
            <th className="font-normal">what</th>
            <th className="text-right font-normal">read</th>
            <th className="pl-6 font-normal">by</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {props.numbers.map((one) =>
            changing === one.id ? (
              <tr key={one.id}>
                <td colSpan={5} className="py-2">
                  <ul>
                    <Doubtful study={props.study} number={one} first mayChange={props.mayChange} />
                  </ul>
                </td>
              </tr>
            ) : (
              <tr key={one.id} className="border-t border-line">
                <td className="py-1">
                  <Picture number={one} high={26} />
                </td>
                <td>
                  <What number={one} />
                </td>
                <td className="num text-right">
                  {one.value === null ? "nothing" : one.value} {one.value !== null && one.unit}
                  {one.value !== null && one.plus_minus > 0 && !one.at && (
                    <span className="text-ink-2"> ± {significant(one.plus_minus)}</span>
                  )}
                </td>
                <td className="pl-6 text-[12.5px] text-ink-2">
                  {one.at ? `${one.by}, ${moment(one.at)}` : "read by the server"}
                </td>
                <td className="text-right">
                  {props.mayChange && (
                    <button type="button" className="plain" onClick={() => setChanging(one.id)}>
                      correct
                    </button>
                  )}
                </td>
              </tr>
            ),
          )}
        </tbody>
      </table>
    </section>
  );
}
