"""Speaks to the server on behalf of a rig; see docs/ingest.md."""

from __future__ import annotations

from typing import Any, cast

import httpx

from yardstick_agent import AGENT_VERSION
from yardstick_agent.clock import wall_s
from yardstick_agent.updating import own_release
from yardstick_core import PROTOCOL
from yardstick_core.assignment import Assignment

#: A message of chunks has at most so many bytes; fewer once the way proved too slow for them.
MOST_BYTES, LEAST_BYTES = 4 * 1024 * 1024, 64 * 1024
TOO_SLOW = 408
#: So long the server may take to hold a film of hours against its checksum.
FILM_CHECK_S = 600


class ServerAway(Exception):
    """The server cannot be reached, or cannot answer just now: try again later."""


class ServerRefused(Exception):
    """The server understood and said no; trying again would not help."""

    def __init__(self, status: int, message: str) -> None:
        super().__init__(f"{status}: {message}")
        self.status = status


class Client:
    """One rig's way to its server. A message of chunks should have at most `most_bytes`."""

    def __init__(self, server: str, token: str, transport: httpx.BaseTransport | None = None):
        self.http = httpx.Client(
            base_url=server,
            headers={
                "Authorization": f"Rig {token}",
                "User-Agent": f"noble-yardstick-agent/{AGENT_VERSION}",
            },
            timeout=20,
            transport=transport,
            trust_env=False,
        )
        self.most_bytes = MOST_BYTES

    def close(self) -> None:
        self.http.close()

    def _ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        try:
            answer = self.http.request(method, path, **more)
        except httpx.HTTPError as error:
            raise ServerAway(str(error)) from error
        if answer.status_code == TOO_SLOW:
            self.most_bytes = max(LEAST_BYTES, self.most_bytes // 4)
            raise ServerAway("what is sent comes too slowly: in smaller messages from now on")
        if answer.status_code >= 500 or answer.status_code == 429:
            raise ServerAway(f"the server answers {answer.status_code}")
        return answer

    def _agreed(self, method: str, path: str, **more: Any) -> httpx.Response:
        answer = self._ask(method, path, **more)
        if answer.status_code >= 400:
            raise ServerRefused(answer.status_code, _message(answer))
        return answer

    def hello(self, facts: dict[str, Any], programs: dict[str, Any], **more: Any) -> dict[str, Any]:
        """Tell who and what this rig is and what it may start; what the server calls it.

        `more` may say which programs are installed here, and who may change what is started.

        Refused with 409 where the two do not speak the same version of the protocol, with 401 where
        the token is no good.
        """
        body = {
            "agent_version": AGENT_VERSION, "agent_digest": own_release(),
            "protocol": PROTOCOL, "facts": facts,
            "programs": programs, **more,
        }  # fmt: skip
        return dict(self._agreed("POST", "/api/agent/hello", json=body).json())

    def handed_out(self, name: str) -> bytes:
        """A file of those that make up an agent; whoever asks for it checks its digest."""
        return self._agreed("GET", f"/agent/files/{name}").content

    def take(self) -> Assignment | None:
        """The next run for this rig, or None."""
        answer = self._agreed("POST", "/api/agent/runs/take")
        return None if answer.status_code == 204 else cast(Assignment, answer.json())

    def take_errand(
        self, idle_share: float | None = None, disk_free: int | None = None
    ) -> dict[str, Any] | None:
        """What else is to be done on this rig, a rehearsal or a change of its programs, or None.

        `idle_share` is how busy the machine is while it is idle, percent; `disk_free` what is left,
        bytes, where records are kept.
        """
        body = {
            "background_cpu_share": idle_share, "disk_free_bytes": disk_free,
            "wall_s": wall_s(),
        }  # fmt: skip
        answer = self._agreed("POST", "/api/agent/errands/take", json=body)
        return None if answer.status_code == 204 else dict(answer.json())

    def end_errand(self, errand: int, body: dict[str, Any]) -> None:
        """How an errand ended."""
        self._agreed("POST", f"/api/agent/errands/{errand}/end", json=body)

    def tell_rehearsal(self, rehearsal: int, body: dict[str, Any]) -> dict[str, Any]:
        """How far a rehearsal is; the answer says whether to stop."""
        path = f"/api/agent/rehearsals/{rehearsal}/tell"
        return dict(self._agreed("POST", path, json=body).json())

    def show_rehearsal(self, rehearsal: int, picture: bytes) -> None:
        self._agreed(
            "PUT",
            f"/api/agent/rehearsals/{rehearsal}/picture",
            content=picture,
            headers={"Content-Type": "image/png"},
        )

    def state(self, sha256: str) -> bytes:
        return self._agreed("GET", f"/api/agent/states/{sha256}").content

    def keep_state(self, rehearsal: int, state: bytes) -> None:
        """Hand over the home that a rehearsal left, packed."""
        self._agreed(
            "PUT",
            f"/api/agent/rehearsals/{rehearsal}/state",
            content=state,
            headers={"Content-Type": "application/octet-stream"},
        )

    def fixture(self, sha256: str) -> bytes:
        return self._agreed("GET", f"/api/agent/fixtures/{sha256}").content

    def heartbeat(self, run: int, progress: dict[str, Any]) -> dict[str, Any]:
        body = {"progress": progress}
        return dict(self._agreed("POST", f"/api/agent/runs/{run}/heartbeat", json=body).json())

    def put_chunks(self, run: int, message: bytes) -> None:
        """Send chunks that were packed together; all are taken, or ServerRefused says why none."""
        self._agreed(
            "POST",
            f"/api/agent/runs/{run}/chunks",
            content=message,
            headers={"Content-Type": "application/octet-stream"},
        )

    def put_picture(self, run: int, name: str, picture: bytes) -> None:
        self._agreed(
            "PUT",
            f"/api/agent/runs/{run}/pictures/{name}",
            content=picture,
            headers={"Content-Type": "image/png"},
        )

    def put_film(self, run: int, at: int, piece: bytes) -> int:
        """Send a piece of a film that begins at a byte of it; how many bytes the server has."""
        answer = self._agreed(
            "PUT",
            f"/api/agent/runs/{run}/film",
            params={"at": at},
            content=piece,
            headers={"Content-Type": "application/octet-stream"},
        )
        return int(answer.json()["held"])

    def end_film(self, run: int, body: dict[str, Any]) -> bool:
        """Say that a film is whole; False where the server wants all of it anew."""
        path = f"/api/agent/runs/{run}/film/end"
        answer = self._ask("POST", path, json=body, timeout=FILM_CHECK_S)
        if answer.status_code == 409:
            return False
        if answer.status_code >= 400:
            raise ServerRefused(answer.status_code, _message(answer))
        return True

    def tell_refused(self, run: int, why: str) -> None:
        """Say that a run's record stays on the rig, and why the server did not take it."""
        self._agreed("POST", f"/api/agent/runs/{run}/refused", json={"why": why[:2000]})

    def seal(self, run: int, body: dict[str, Any]) -> list[tuple[str, int]]:
        """Seal a run; the chunks the server still misses, none where it is sealed."""
        answer = self._ask("POST", f"/api/agent/runs/{run}/seal", json=body)
        if answer.status_code == 409 and "missing" in answer.json():
            return [(part["stream"], part["sequence"]) for part in answer.json()["missing"]]
        if answer.status_code >= 400:
            raise ServerRefused(answer.status_code, _message(answer))
        return []


def _message(answer: httpx.Response) -> str:
    try:
        return str(answer.json().get("detail", answer.text[:200]))
    except ValueError:
        return answer.text[:200]
