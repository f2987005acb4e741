/** What the interface asks the server about rigs that work unattended. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";

export type Night = Schemas["Night"];

const EVERY_MS = 15_000;

export function useNight(hours: number) {
  return useQuery({
    queryKey: ["night", hours],
    queryFn: () => unwrap(api.GET("/api/night", { params: { query: { hours } } })),
    refetchInterval: EVERY_MS,
    placeholderData: keepPreviousData,
  });
}
