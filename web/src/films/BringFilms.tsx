/** Films that were chosen or dropped: of which variant each is, and sending them. */
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import type { Study } from "../api/client";
import { bringFilm } from "../api/footage";
import { keys } from "../api/queries";
import { namedAfter } from "../logs/becoming";
import { NewVariants, useOfVariants, VariantOf } from "../logs/OfVariants";
import { bytes, count, THIN } from "../parts/text";

const FILM = /\.(mp4|m4v|webm|mkv|mov|avi|wmv|mpe?g|gif)$/i;

export const isFilm = (file: File) => file.type.startsWith("video/") || FILM.test(file.name);

export function BringFilms(props: { study: Study; files: File[]; drop: () => void }) {
  const { study, files } = props;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const after = namedAfter(files.map((file) => file.name));
  const of = useOfVariants(study, after.variants, after.program);
  const [share, setShare] = useState<number | null>(null);
  const [trouble, setTrouble] = useState("");
  // What arrived before something failed is not sent again.
  const arrived = useRef(new Map<number, number>());
  const nameless =
    of.fresh.some((one) => !of.nameOf(one).trim()) ||
    (of.fresh.length > 0 && !study.subject && !of.program.trim());
  const send = async () => {
    setTrouble("");
    try {
      const positions = await of.positions();
      const total = files.reduce((sum, file) => sum + file.size, 0) || 1;
      let sent = 0;
      for (const [place, file] of files.entries()) {
        const variant = positions[place] ?? -1;
        if (variant < 0) continue;
        if (arrived.current.has(place)) {
          sent += file.size;
          continue;
        }
        const told = (part: number) => setShare((sent + part * file.size) / total);
        told(0);
        const film = await bringFilm(study.id, variant, file, told);
        arrived.current.set(place, film.id);
        sent += file.size;
      }
      await queries.invalidateQueries({ queryKey: keys.study(study.id) });
      navigate(`/studies/${study.id}/films/${[...arrived.current.values()][0]}`);
    } catch (error) {
      setTrouble((error as Error).message);
      await queries.invalidateQueries({ queryKey: keys.study(study.id) });
    } finally {
      setShare(null);
    }
  };
  return (
    <section aria-label="films to bring in" className="mt-4 max-w-[760px]">
      <table className="w-full">
        <thead>
          <tr className="border-b border-line text-left text-[12px] text-ink-2">
            <th scope="col" className="py-1 font-normal">
              film
            </th>
            <th scope="col" className="text-right font-normal">
              size
            </th>
            <th scope="col" className="pl-4 font-normal">
              is a film of
            </th>
          </tr>
        </thead>
        <tbody>
          {files.map((file, place) => (
            <tr key={place} className="border-b border-line-2">
              <th scope="row" className="max-w-[320px] truncate py-1 text-left font-medium">
                {file.name}
              </th>
              <td className="text-right whitespace-nowrap">{bytes(file.size)}</td>
              <td className="pl-4">
                <VariantOf study={study} of={of} place={place} label={file.name} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <NewVariants study={study} of={of} />
      <p className="mt-3 flex items-center gap-3">
        <button
          type="button"
          className="button"
          disabled={share !== null || of.making || nameless || of.kept === 0}
          onClick={send}
        >
          Bring in {count(of.kept, "film")}
        </button>
        {share === null && (
          <button type="button" className="act" onClick={props.drop}>
            choose others
          </button>
        )}
        <span role="status" className="text-ink-2">
          {share !== null
            ? `${Math.round(share * 100)}${THIN}% sent`
            : nameless
              ? "first: name the variants, and the program that they are of"
              : "each is looked through; then you mark where timings start and end"}
        </span>
      </p>
      {(trouble || of.error) && (
        <p role="alert" className="mt-2 text-behind">
          {trouble || of.error?.message}
        </p>
      )}
    </section>
  );
}
