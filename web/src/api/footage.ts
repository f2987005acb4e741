/** What the interface asks the server about films from elsewhere. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { keys } from "./queries";
import { upload } from "./upload";

export type Footage = Schemas["Footage"];
export type FilmMark = Schemas["FilmMark"];
export type FilmRegion = Schemas["FootageRegion"];
export type FilmCourse = Schemas["FilmCourse"];
export type Snap = "first change" | "last change" | "any picture";

/** What a film can tell, as the server found it. */
export interface FilmFacts {
  width: number;
  height: number;
  frames: number;
  seconds: number;
  step_s: number;
  uneven: number;
  longest_gap_s: number;
  new: number;
  every_picture_new: boolean;
  noisy: boolean;
  bursts: number;
  scenes: number[];
  onsets: number;
}

const POLL_MS = 700;
const busy = (one: Footage | undefined) => one?.state === "waits" || one?.state === "looking";
const key = (film: number) => ["footage", film] as const;

export function useFootageOf(study: number) {
  return useQuery({
    queryKey: [...keys.study(study), "footage"],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/footage", { params: { path: { study } } })),
    refetchInterval: (query) => (query.state.data?.some(busy) ? POLL_MS : false),
    refetchOnMount: "always",
  });
}

export function useFootage(film: number) {
  return useQuery({
    queryKey: key(film),
    queryFn: () =>
      unwrap(api.GET("/api/footage/{footage}", { params: { path: { footage: film } } })),
    refetchInterval: (query) => (busy(query.state.data) ? POLL_MS : false),
  });
}

export function bringFilm(
  study: number,
  variant: number,
  file: File,
  told: (share: number) => void,
): Promise<Footage> {
  const name = encodeURIComponent(file.name);
  const path = `/api/studies/${study}/footage?name=${name}&variant=${variant}`;
  return upload<Footage>(path, file, told);
}

export const said = (region: FilmRegion | null) =>
  region ? `${region.x},${region.y},${region.width},${region.height}` : "";

export function useFilmCourse(film: number, region: FilmRegion | null, wanted: boolean) {
  return useQuery({
    queryKey: [...key(film), "course", said(region)],
    enabled: wanted,
    queryFn: () =>
      unwrap(
        api.GET("/api/footage/{footage}/course", {
          params: { path: { footage: film }, query: region ? { region: said(region) } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 600_000,
  });
}

/** The picture that a mark near one means. */
export async function snapped(
  film: number,
  picture: number,
  to: Snap,
  region: FilmRegion | null,
): Promise<number> {
  const query = { picture, to, ...(region && { region: said(region) }) };
  const answer = await unwrap(
    api.GET("/api/footage/{footage}/snap", { params: { path: { footage: film }, query } }),
  );
  return answer.picture;
}

export function useSetMarks(film: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["FilmMarks"]) =>
      unwrap(api.PUT("/api/footage/{footage}", { params: { path: { footage: film } }, body })),
    onSuccess: (found) => {
      queries.setQueryData(key(film), found);
      queries.invalidateQueries({ queryKey: [...keys.study(found.study), "footage"] });
    },
  });
}

export function useKeepFootage(film: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () =>
      unwrap(api.POST("/api/footage/{footage}/keep", { params: { path: { footage: film } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: key(film) }),
  });
}

/** Runs of all films that are marked, let in for one reason: one look at them; or kept apart. */
export function useKeepAllFootage(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (asked: { films: number[]; reason: string }) => {
      const runs: number[] = [];
      for (const footage of asked.films) {
        const kept = await unwrap(
          api.POST("/api/footage/{footage}/keep", { params: { path: { footage } } }),
        );
        runs.push(kept.run);
      }
      if (asked.reason)
        await unwrap(
          api.POST("/api/studies/{study}/let-in", {
            params: { path: { study } },
            body: { runs, reason: asked.reason },
          }),
        );
    },
    onSettled: () =>
      Promise.all(
        [keys.study(study), keys.board(study)].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

export function useThrowFootageAway(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (film: number) => {
      await api.DELETE("/api/footage/{footage}", { params: { path: { footage: film } } });
    },
    onSettled: () => queries.invalidateQueries({ queryKey: [...keys.study(study), "footage"] }),
  });
}

/** How a film's sound, or another film, runs against its picture. */
export function useFilmDrift(film: number, against: string, region: FilmRegion | null) {
  return useQuery({
    queryKey: [...key(film), "drift", against, said(region)],
    enabled: against !== "",
    queryFn: () =>
      unwrap(
        api.GET("/api/footage/{footage}/drift", {
          params: {
            path: { footage: film },
            query: { against, ...(region && { region: said(region) }) },
          },
        }),
      ),
  });
}
