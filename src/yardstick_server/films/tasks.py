"""Jobs of the worker: make a film ready to be played."""

from __future__ import annotations

from procrastinate.contrib.django import app

from yardstick_server.queues import LONG


@app.task(queue=LONG, retry=2)
def make_ready(run: int) -> None:
    """Put the pictures that a rig sent into a file that plays from anywhere."""
    from yardstick_core.films.container import FilmError, put_in_order
    from yardstick_server.films.models import Film
    from yardstick_server.notify import notify

    film = Film.objects.select_related("run__study").filter(run=run, state="waits").first()
    if film is None:
        return
    try:
        facts = put_in_order(film.coming_path, film.path)
    except FilmError as error:
        film.state, film.problem = "unusable", str(error)[:300]
    else:
        film.state = "ready"
        film.width, film.height = facts.width, facts.height
        film.frames, film.seconds = facts.frames, facts.seconds
        film.size = film.path.stat().st_size
        film.coming_path.unlink(missing_ok=True)
    film.save()
    notify(film.run.study.workspace_id, "run", study=film.run.study_id, run=run)
