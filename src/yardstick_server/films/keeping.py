"""Keeps the film that a rig sends, piece by piece, and knows when it is whole."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from django.db import transaction

from yardstick_server.films.models import Film, bytes_of_films
from yardstick_server.films.tasks import make_ready
from yardstick_server.runs.models import Run

_PIECE = 2**20


class FilmRefused(ValueError):
    """No more of a film is taken; what was sent before is kept."""


@dataclass(frozen=True, slots=True)
class FilmEnd:
    """What a rig says of a film that it has sent."""

    size: int
    sha256: str
    began_ns: int


def append(run: Run, at: int, data: bytes) -> int:
    """Keep what is new of a piece that begins at byte `at`; how many bytes are there then.

    A piece beyond what is there is not kept: the answer says where to go on. Raises FilmRefused.
    """
    if run.state != "running":
        raise FilmRefused(f"the run is {run.state}: it takes no more of a film")
    with transaction.atomic():
        film, _ = Film.objects.select_for_update().get_or_create(run=run)
        path = film.coming_path
        path.parent.mkdir(parents=True, exist_ok=True)
        there = min(film.size, path.stat().st_size) if path.exists() else 0
        fresh = data[there - at :] if at <= there else b""
        if film.state != "coming" or not fresh:
            return there
        workspace = run.study.workspace
        if bytes_of_films(workspace) + len(fresh) > workspace.film_bytes_limit:
            raise FilmRefused(
                f"films of this workspace may take {workspace.film_bytes_limit >> 20} MiB, and "
                "there is no room left for this one"
            )
        # what a crash left half written beyond what was told is written over
        with path.open("r+b" if there else "wb") as file:
            file.seek(there)
            file.write(fresh)
        film.size = there + len(fresh)
        film.save(update_fields=["size"])
        return film.size


def end(run: Run, told: FilmEnd) -> bool:
    """Take a film as whole where it is what its rig says; else it is to be sent anew."""
    with transaction.atomic():
        film, _ = Film.objects.select_for_update().get_or_create(run=run)
        if film.state != "coming":
            return True
        digest = hashlib.sha256()
        path = film.coming_path
        if path.exists():
            with path.open("rb") as file:
                while piece := file.read(_PIECE):
                    digest.update(piece)
        if film.size != told.size or digest.hexdigest() != told.sha256:
            path.unlink(missing_ok=True)
            film.size = 0
            film.save(update_fields=["size"])
            return False
        film.began_ns, film.sha256, film.state = told.began_ns, told.sha256, "waits"
        film.save(update_fields=["began_ns", "sha256", "state"])
        make_ready.defer(run=run.pk)
    return True
