/** What the work is done with: subjects and their variants, fixtures, rigs over time. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, Failure, put, reasonOf, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export type SettingsFile = Schemas["SettingsFile"];

const subjects = ["subjects"] as const;
const fixtures = ["fixtures"] as const;

export function useSubjects() {
  return useQuery({ queryKey: subjects, queryFn: () => unwrap(api.GET("/api/subjects")) });
}

export function useFixtures() {
  return useQuery({ queryKey: fixtures, queryFn: () => unwrap(api.GET("/api/fixtures")) });
}

export function useRig(name: string) {
  return useQuery({
    queryKey: [...keys.rigs, name],
    queryFn: () => unwrap(api.GET("/api/rigs/{name}", { params: { path: { name } } })),
  });
}

function useChangeOf<Asked, Answer>(
  queryKey: readonly string[],
  send: (asked: Asked) => Promise<Answer>,
) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSettled: () => queries.invalidateQueries({ queryKey }),
  });
}

export function useNewSubject() {
  return useChangeOf(subjects, (body: { name: string; maker: string }) =>
    unwrap(api.POST("/api/subjects", { body })),
  );
}

export function useChangeSubject(subject: number) {
  return useChangeOf(
    subjects,
    (body: {
      name?: string;
      maker?: string;
      settings?: SettingsFile[];
      release_order?: string[];
    }) => unwrap(api.PATCH("/api/subjects/{subject}", { params: { path: { subject } }, body })),
  );
}

export function useNewSubjectVariant(subject: number) {
  return useChangeOf(subjects, (body: { name: string; program: string }) =>
    unwrap(api.POST("/api/subjects/{subject}/variants", { params: { path: { subject } }, body })),
  );
}

export function useKeepFixture() {
  return useChangeOf(fixtures, (file: File) =>
    put(
      `/api/fixtures/${encodeURIComponent(file.name)}`,
      new Blob([file], { type: "application/octet-stream" }),
    ),
  );
}

export function useRenameFixture() {
  return useChangeOf(fixtures, ({ name, wanted }: { name: string; wanted: string }) =>
    unwrap(
      api.PUT("/api/fixtures/{name}/name", { params: { path: { name } }, body: { name: wanted } }),
    ),
  );
}

export function useThrowFixture() {
  return useChangeOf(fixtures, async (name: string) => {
    const answer = await api.DELETE("/api/fixtures/{name}", { params: { path: { name } } });
    if (!answer.response.ok)
      throw new Failure(answer.response.status, reasonOf(answer.response.status, answer.error));
    return null;
  });
}
