/** The lanes a run can show, in which order, how high, and which are folded. */

export interface LaneState {
  id: string;
  folded: boolean;
  height: number;
  /** Whether its scale reaches to the last value, however far that is from the others. */
  whole?: boolean;
}

export interface LaneKind {
  id: string;
  name: string;
  unit: string;
  hint: string;
  height: number;
  folded: boolean;
  /** The counters it draws, of those a run has. */
  counters: (known: string[]) => string[];
}

const of =
  (...names: string[]) =>
  (known: string[]) =>
    names.filter((name) => known.includes(name));

/** So many counters that the owner of a rig has named have a lane each. */
const MOST_OWN = 6;

const ownCounters = (known: string[]) => known.filter((name) => name.startsWith("own.")).sort();

/** What a counter that the owner of a rig has named is called: `own.fan_2` is fan 2. */
export function ownName(counter: string): string {
  return counter
    .replace(/^own\./, "")
    .replaceAll("_", " ")
    .trim();
}

/** Lanes of what only some machines tell: a stand-in's are called simulated. */
export const OF_SENSORS = ["graphics", "graphicsmemory", "power", "heat", "clock"];

export const LANES: LaneKind[] = [
  {
    id: "frames",
    name: "frame time",
    unit: "ms",
    hint: "line: mean of 25 neighbours; dots: slower than 2.5 × their neighbourhood; shaded: no picture was wanted",
    height: 178,
    folded: false,
    counters: () => [],
  },
  {
    id: "processor",
    name: "processor",
    unit: "cores",
    hint: "cores in use by the subject; dotted: everything else on the machine",
    height: 104,
    folded: false,
    counters: of("subject.processor", "machine.foreign", "companions.processor"),
  },
  {
    id: "memory",
    name: "memory",
    unit: "MiB",
    hint: "resident, children included; thin: shared pages divided among those who share them; dashed: of its own",
    height: 104,
    folded: false,
    counters: of(
      "subject.resident",
      "subject.proportional",
      "subject.unique",
      "companions.resident",
    ),
  },
  {
    id: "latency",
    name: "key to picture",
    unit: "ms",
    hint: "from each input to the first change on the screen",
    height: 84,
    folded: true,
    counters: () => [],
  },
  {
    id: "cores",
    name: "each core",
    unit: "busy",
    hint: "share of each core in use by whatever program; 1 is all of it",
    height: 84,
    folded: true,
    counters: (known) => known.filter((name) => /^core\.\d+\.busy$/.test(name)),
  },
  {
    id: "threads",
    name: "threads and processes",
    unit: "",
    hint: "threads of the subject; dashed: its processes",
    height: 72,
    folded: true,
    counters: of("subject.threads", "subject.processes"),
  },
  {
    id: "disk",
    name: "disk",
    unit: "MiB/s",
    hint: "read; dashed: written, by the subject and its children",
    height: 72,
    folded: true,
    counters: of("subject.bytes_read", "subject.bytes_written"),
  },
  {
    id: "network",
    name: "network",
    unit: "MiB/s",
    hint: "received; dashed: sent, over TCP connections of the subject and its children",
    height: 72,
    folded: true,
    counters: of("subject.bytes_received", "subject.bytes_sent"),
  },
  {
    id: "graphics",
    name: "graphics",
    unit: "%",
    hint: "how busy each engine of the graphics processor is with the subject, and the card with all",
    height: 84,
    folded: true,
    counters: (known) => known.filter((name) => GRAPHICS.test(name)),
  },
  {
    id: "graphicsmemory",
    name: "graphics memory",
    unit: "MiB",
    hint: "on the card, held by the subject; dotted: of the machine's own memory; dashed: all programs",
    height: 72,
    folded: true,
    counters: of("subject.graphics_dedicated", "subject.graphics_shared", "graphics.memory_used"),
  },
  {
    id: "power",
    name: "power",
    unit: "W",
    hint: "what the machine takes, by its own meters: processor first, then its memory, the graphics card, the whole platform, the battery",
    height: 84,
    folded: true,
    counters: of(
      "energy.processor",
      "energy.memory",
      "energy.graphics",
      "energy.platform",
      "energy.battery",
    ),
  },
  {
    id: "heat",
    name: "heat",
    unit: "°C",
    hint: "the hottest sensor of the processor; dotted: of the graphics card",
    height: 72,
    folded: true,
    counters: of("heat.processor", "heat.graphics"),
  },
  {
    id: "clock",
    name: "clock",
    unit: "MHz",
    hint: "mean clock of all cores",
    height: 72,
    folded: true,
    counters: of("clock.mean"),
  },
  ...Array.from({ length: MOST_OWN }, (_, place) => ({
    id: `own${place + 1}`,
    name: "counter of the rig",
    unit: "",
    hint: "named by the owner of the rig, who says where it is read",
    height: 72,
    folded: true,
    counters: (known: string[]) => ownCounters(known).slice(place, place + 1),
  })),
  {
    id: "other",
    name: "other counters",
    unit: "",
    hint: "all that is in no other lane, each in its own unit",
    height: 84,
    folded: true,
    counters: (known) => {
      const own = ownCounters(known).slice(0, MOST_OWN);
      return known.filter((name) => !DRAWN.test(name) && !own.includes(name));
    },
  },
];

const GRAPHICS = /^(subject\.graphics\..*|graphics\.busy|gpu\..*)$/;
const DRAWN =
  /^(subject\.(processor|resident|proportional|unique|threads|processes|bytes_(read|written|sent|received)|graphics[._].*)|machine\.(foreign|busy|own|cores|memory_used)|companions\.(processor|resident)|core\.\d+\.busy|(gpu|graphics|energy|heat)\..*|clock\.mean)$/;

const LEAST_HEIGHT = 48;
const MOST_HEIGHT = 600;

const usual = (kind: LaneKind): LaneState => ({
  id: kind.id,
  folded: kind.folded,
  height: kind.height,
});

/** Lanes as an address says them, `frames.220,-disk,…`; those it does not name follow as usual. */
export function lanesFrom(text: string | null): LaneState[] {
  const said = (text ?? "").split(",").flatMap((part) => {
    const match = /^(-?)([a-z]+\d?)(?:\.(\d+))?(!?)$/.exec(part);
    const kind = LANES.find((one) => one.id === match?.[2]);
    if (!match || !kind) return [];
    const height = match[3] ? Number(match[3]) : kind.height;
    const lane = { id: kind.id, folded: match[1] === "-", height: within(height) };
    return [match[4] ? { ...lane, whole: true } : lane];
  });
  const first = said.filter((lane, n) => said.findIndex((one) => one.id === lane.id) === n);
  const rest = LANES.filter((kind) => !first.some((lane) => lane.id === kind.id));
  return [...first, ...rest.map(usual)];
}

/** Lanes as they stand in an address; null where all is as usual. */
export function lanesTo(lanes: LaneState[]): string | null {
  const text = lanes
    .map((lane) => {
      const kind = LANES.find((one) => one.id === lane.id);
      const height = lane.height === kind?.height ? "" : `.${Math.round(lane.height)}`;
      return `${lane.folded ? "-" : ""}${lane.id}${height}${lane.whole ? "!" : ""}`;
    })
    .join(",");
  const plain = LANES.map((kind) => `${kind.folded ? "-" : ""}${kind.id}`).join(",");
  return text === plain ? null : text;
}

export function within(height: number): number {
  return Math.min(MOST_HEIGHT, Math.max(LEAST_HEIGHT, height));
}

/** Lanes with one changed. */
export function changed(lanes: LaneState[], id: string, to: Partial<LaneState>): LaneState[] {
  return lanes.map((lane) => (lane.id === id ? { ...lane, ...to } : lane));
}

/** Lanes with one moved up (−1) or down (1) among those that are shown. */
export function moved(lanes: LaneState[], id: string, by: number, shown: string[]): LaneState[] {
  const order = lanes.filter((lane) => shown.includes(lane.id));
  const here = order.findIndex((lane) => lane.id === id);
  const there = order[here + by];
  const lane = order[here];
  if (!lane || !there) return lanes;
  const without = lanes.filter((one) => one.id !== id);
  const place = without.findIndex((one) => one.id === there.id) + (by > 0 ? 1 : 0);
  return [...without.slice(0, place), lane, ...without.slice(place)];
}
