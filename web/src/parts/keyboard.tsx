/** Keys of the interface: each page says what its keys do, `?` lists them all. */
import { createContext, useContext, useEffect, useMemo, useRef, useState } from "react";

/** A key, or two pressed one after the other such as `g m`, and what it does. */
export interface Key {
  keys: string;
  does: string;
  act: () => void;
}

interface Registry {
  add: (group: string, list: () => Key[]) => () => void;
  groups: () => { group: string; keys: Key[] }[];
}

const SEQUENCE_MS = 1200;
const KeysContext = createContext<Registry | null>(null);

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

export function KeyboardProvider(props: { children: React.ReactNode }) {
  const lists = useRef(new Map<string, () => Key[]>());
  const [open, setOpen] = useState(false);
  const registry = useMemo<Registry>(
    () => ({
      add(group, list) {
        lists.current.set(group, list);
        return () => lists.current.delete(group);
      },
      groups: () => [...lists.current].map(([group, list]) => ({ group, keys: list() })).reverse(),
    }),
    [],
  );
  useEffect(() => {
    let first = "";
    let pressedAt = 0;
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      if (event.key === "?") {
        setOpen((now) => !now);
        return;
      }
      if (event.key === "Escape" && open) {
        setOpen(false);
        return;
      }
      const pair = Date.now() - pressedAt < SEQUENCE_MS ? `${first} ${event.key}` : "";
      const all = registry.groups().flatMap((group) => group.keys);
      const found =
        all.find((key) => key.keys === pair) ?? all.find((key) => key.keys === event.key);
      first = event.key;
      pressedAt = Date.now();
      if (found) {
        event.preventDefault();
        found.act();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [registry, open]);
  return (
    <KeysContext.Provider value={registry}>
      {props.children}
      {open && <KeyList groups={registry.groups()} close={() => setOpen(false)} />}
    </KeysContext.Provider>
  );
}

/** Make keys work while the calling component is shown. */
export function useKeys(group: string, keys: Key[]): void {
  const registry = useContext(KeysContext);
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => registry?.add(group, () => latest.current), [registry, group]);
}

/** What the keys of everything shown do now, the newest page first. */
export function useShownKeys(): { group: string; keys: Key[] }[] {
  return useContext(KeysContext)?.groups() ?? [];
}

function KeyList(props: { groups: { group: string; keys: Key[] }[]; close: () => void }) {
  return (
    <aside
      aria-label="Keys"
      className="fixed right-0 bottom-0 z-40 max-h-[80vh] w-80 overflow-auto border border-line bg-card p-4 shadow-lg"
    >
      <div className="mb-2 flex items-baseline justify-between">
        <h2 className="font-semibold">Keys</h2>
        <button type="button" className="text-brass" onClick={props.close}>
          close <kbd>Esc</kbd>
        </button>
      </div>
      {props.groups.map((group) => (
        <section key={group.group} className="mb-3">
          <h3 className="mb-1 text-ink-2">{group.group}</h3>
          {group.keys.map((key) => (
            <div key={key.keys} className="flex justify-between py-0.5">
              <span>{key.does}</span>
              <kbd>{key.keys === " " ? "Space" : key.keys}</kbd>
            </div>
          ))}
        </section>
      ))}
    </aside>
  );
}
