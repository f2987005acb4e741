/** What the interface asks the server about lines of releases. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";

export type ReleaseLine = Schemas["ReleaseLine"];
export type MetricLine = Schemas["MetricLine"];
export type LineChange = Schemas["LineChange"];

export function useLines(subject: number) {
  return useQuery({
    queryKey: ["subjects", String(subject), "lines"],
    queryFn: () =>
      unwrap(api.GET("/api/subjects/{subject}/lines", { params: { path: { subject } } })),
  });
}

export function useLine(subject: number, line: string) {
  return useQuery({
    queryKey: ["subjects", String(subject), "lines", line],
    queryFn: () =>
      unwrap(
        api.GET("/api/subjects/{subject}/lines/{line}", { params: { path: { subject, line } } }),
      ),
  });
}

/** Make a study of releases beside the anchor of a line; its number. */
export function useMeasureOfLine(subject: number, line: string) {
  return useMutation({
    mutationFn: (releases: string[]) =>
      unwrap(
        api.POST("/api/subjects/{subject}/lines/{line}/sessions", {
          params: { path: { subject, line } },
          body: { releases },
        }),
      ),
  });
}
