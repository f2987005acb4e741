/** Files on their way to the server. */
import { Failure, reasonOf, token } from "./client";

/** Send a file; `told` hears how much of it has gone, from 0 to 1. */
export function upload<Answer>(
  path: string,
  file: File,
  told: (share: number) => void,
): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", path);
    request.setRequestHeader("X-CSRFToken", token());
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = (event) => told(event.loaded / Math.max(1, event.total));
    request.onerror = () =>
      reject(new Failure(0, "The server cannot be reached. The file was not taken."));
    request.onload = () =>
      request.status === 201
        ? resolve(request.response as Answer)
        : reject(new Failure(request.status, reasonOf(request.status, request.response)));
    request.send(file);
  });
}
