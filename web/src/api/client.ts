/** The server's API with its generated types, and errors that say what happened. */
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Study = Schemas["Study"];
export type StudySummary = Schemas["StudySummary"];
export type RunSummary = Schemas["RunSummary"];
export type RunDetail = Schemas["RunDetail"];
export type Board = Schemas["Board"];
export type Row = Schemas["Row"];
export type Difference = Schemas["Difference"];
export type RemoteInput = Schemas["RemoteInput"];
export type Rehearsal = Schemas["Rehearsal"];
export type Rig = Schemas["Rig"];
export type Claim = Schemas["Claim"];
export type NewClaim = Schemas["NewClaim"];
export type Plan = Schemas["Plan"];
export type PlanValues = Required<Schemas["PatchedPlanValues"]>;
export type Profile = Schemas["Profile"];
export type ProfileValues = Schemas["ProfileValues"];
export type Term = Schemas["Term"];
export type Decision = Schemas["Decision"];
export type Changes = Schemas["Changes"];
export type Trace = Schemas["Trace"];
export type Race = Schemas["Race"];
export type Racer = Schemas["Racer"];
export type StretchReadings = Schemas["StretchReadings"];
export type SideBySide = Schemas["SideBySide"];
export type Laps = Schemas["Laps"];
export type Finding = Schemas["Finding"];
export type Log = Schemas["Log"];
export type HandTiming = Schemas["ByHand"];
export type NewHandRun = Schemas["NewHandRun"];
export type LogMapping = Schemas["Mapping"];
export type LogColumn = Schemas["Column"];
export type Preview = Schemas["Preview"];
export type NewFinding = Schemas["NewFinding"];
export type Session = Schemas["Session"];

/** A request the server did not fulfil; `status` 0 means it could not be reached. */
export class Failure extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((part) => part.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

/** What shows the server that a change is asked for by its own page. */
export const token = () => cookie("csrftoken");

export const api = createClient<paths>({ baseUrl: "/", credentials: "same-origin" });

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    return request;
  },
});

/** Every text in what the server said of a bad request. */
function words(said: unknown): string[] {
  if (typeof said === "string") return [said];
  if (said && typeof said === "object") return Object.values(said).flatMap(words);
  return [];
}

export function reasonOf(status: number, error: unknown): string {
  if (status === 404) return "This does not exist here, or belongs to another workspace.";
  if (error && typeof error === "object" && "detail" in error) return String(error.detail);
  if (status === 400) return words(error).join(" ") || "The server could not use what was sent.";
  if (status >= 500) return "The server failed at this; nothing was changed. Try again.";
  return `The server refused this (${status}).`;
}

/** Put a file where it belongs. Throws Failure where it is not taken. */
export const put = (path: string, file: Blob) => send("PUT", path, file);

/** Send a file as it is. Throws Failure where it is not taken. */
export async function send(method: string, path: string, file: Blob): Promise<unknown> {
  const headers = {
    "Content-Type": file.type || "application/octet-stream",
    "X-CSRFToken": cookie("csrftoken"),
  };
  let response: Response;
  try {
    response = await fetch(path, { method, body: file, headers });
  } catch {
    throw new Failure(0, "The server cannot be reached. The file was not kept.");
  }
  const said: unknown = await response.json().catch(() => null);
  if (!response.ok) throw new Failure(response.status, reasonOf(response.status, said));
  return said;
}

/** The data of an answer. Throws Failure where there is none. */
export async function unwrap<T>(
  answer: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let settled: { data?: T; error?: unknown; response: Response };
  try {
    settled = await answer;
  } catch {
    throw new Failure(0, "The server cannot be reached. What you see is the last it sent.");
  }
  if (settled.data === undefined)
    throw new Failure(settled.response.status, reasonOf(settled.response.status, settled.error));
  return settled.data;
}
