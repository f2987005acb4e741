/** How variants look everywhere: the baseline in ink and square, each other its colour and shape. */
import { createContext, useContext } from "react";

const BaselineContext = createContext(0);

/** Which of the looks a variant has, so that the baseline always has the first. */
export function lookOf(index: number, baseline: number): number {
  if (index === baseline) return 0;
  return index < baseline ? index + 1 : index;
}

/** Inside, the baseline is ink and square and the others follow in their order. */
export function Looks(props: { baseline: number; className?: string; children: React.ReactNode }) {
  const colours = Object.fromEntries(
    Array.from({ length: 8 }, (_, index) => [
      `--v${index}`,
      `var(--c${lookOf(index, props.baseline) % 8})`,
    ]),
  );
  return (
    <BaselineContext value={props.baseline}>
      <div className={props.className ?? "contents"} style={colours as React.CSSProperties}>
        {props.children}
      </div>
    </BaselineContext>
  );
}

export function variantColour(index: number): string {
  return `var(--v${index % 8})`;
}

type Draw = (r: number) => string;

const SHAPES: Draw[] = [
  (r) => `M${-r},${-r}h${2 * r}v${2 * r}h${-2 * r}z`,
  (r) => `M${-r},0a${r},${r} 0 1,0 ${2 * r},0a${r},${r} 0 1,0 ${-2 * r},0`,
  (r) => `M0,${-r * 1.15}L${r * 1.1},${r * 0.85}H${-r * 1.1}z`,
  (r) => `M0,${-r * 1.25}L${r * 1.25},0L0,${r * 1.25}L${-r * 1.25},0z`,
  (r) => `M${-r * 0.45},${-r * 1.2}h${r * 0.9}v${r * 2.4}h${-r * 0.9}z`,
  (r) => `M${-r},${-r}L${r},${r}M${r},${-r}L${-r},${r}`,
  (r) => `M0,${r * 1.15}L${r * 1.1},${-r * 0.85}H${-r * 1.1}z`,
  (r) => `M${-r * 1.2},${-r * 0.45}h${r * 2.4}v${r * 0.9}h${-r * 2.4}z`,
];

/** The shape of a look as an SVG path around the origin. */
export function variantShape(look: number, radius = 4): string {
  const draw = SHAPES[look % SHAPES.length] as Draw;
  return draw(radius);
}

const crossed = (look: number) => look % SHAPES.length === 5;

/** The mark of a variant in a chart; hollow for what does not count. */
export function VariantMark(props: {
  index: number;
  x: number;
  y: number;
  radius?: number;
  hollow?: boolean;
}) {
  const colour = variantColour(props.index);
  const look = lookOf(props.index, useContext(BaselineContext));
  const outlined = props.hollow || crossed(look);
  return (
    <path
      d={variantShape(look, props.radius)}
      transform={`translate(${props.x},${props.y})`}
      fill={outlined ? "none" : colour}
      stroke={outlined ? colour : "none"}
      strokeWidth={crossed(look) ? 2 : 1.2}
    />
  );
}

/** A variant's mark and name in a line of text. */
export function VariantName(props: { index: number; name: string }) {
  return (
    <span className="whitespace-nowrap font-semibold" style={{ color: variantColour(props.index) }}>
      <svg
        width="11"
        height="11"
        viewBox="-6 -6 12 12"
        className="mr-1 inline-block align-[-1px]"
        aria-hidden="true"
      >
        <VariantMark index={props.index} x={0} y={0} radius={4.4} />
      </svg>
      {props.name}
    </span>
  );
}
