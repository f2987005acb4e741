"""Jobs of the worker: draw a race as a film, throw old ones away."""

from __future__ import annotations

from procrastinate.contrib.django import app

from yardstick_server.queues import LONG

KINDS = ("mp4", "webm")


@app.task(queue=LONG, retry=2)
def draw_race(film: int) -> None:
    """Draw a race that somebody wants to take along."""
    from yardstick_core.films.container import FilmError
    from yardstick_server.notify import notify
    from yardstick_server.races.filming import TooLong, film_race
    from yardstick_server.races.gathering import NoRace, race_of
    from yardstick_server.races.models import RaceFilm
    from yardstick_server.races.result import drawing_of

    found = RaceFilm.objects.select_related("study__subject").filter(pk=film).first()
    if found is None or found.state in ("done", "failed"):
        return
    rows = RaceFilm.objects.filter(pk=film)
    rows.update(state="working")
    workspace = found.study.workspace_id

    def told(done: int, total: int) -> None:
        rows.update(done=done, total=total)
        notify(workspace, "race", study=found.study_id)

    targets = {kind: found.path_of(kind) for kind in KINDS}
    try:
        found.path.parent.mkdir(parents=True, exist_ok=True)
        race = race_of(found.study, found.runs, found.alignment)
        film_race(race, drawing_of(race), targets, told)
        sizes = {kind: path.stat().st_size for kind, path in targets.items()}
        rows.update(state="done", sizes=sizes)
    except (NoRace, TooLong, FilmError, OSError) as error:
        for path in targets.values():
            path.unlink(missing_ok=True)
        rows.update(state="failed", problem=str(error)[:300])
    notify(workspace, "race", study=found.study_id)


@app.periodic(cron="41 * * * *")
@app.task(queueing_lock="sweep-race-films")
def sweep_race_films(timestamp: int) -> None:
    """Throw away what was made long ago."""
    from yardstick_server.races.models import RaceFilm

    RaceFilm.sweep()
