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


#: A clip of a moment shows so much of what came before and after it, s.
AROUND_S = 2.0


@app.task(queue=LONG, retry=2)
def cut_clip(finding: int) -> None:
    """Cut what the film shows of a finding, so that it can go into a report."""
    from yardstick_core.films.clip import clip
    from yardstick_core.films.container import FilmError
    from yardstick_server.films.models import Film, FindingClip
    from yardstick_server.notify import notify

    wanted = FindingClip.objects.select_related("finding__run__study")
    found = wanted.filter(finding=finding, state="wanted").first()
    if found is None:
        return
    pinned = found.finding
    film = Film.objects.filter(run=pinned.run, state="ready").first()
    try:
        if film is None:
            raise FilmError("the run has no film any more")
        first_s = (pinned.at_ns - film.began_ns) / 1e9
        if pinned.until_ns is None:
            span = (first_s - AROUND_S, first_s + AROUND_S)
        else:
            span = (first_s, (pinned.until_ns - film.began_ns) / 1e9)
        cut = clip(film.path, max(0.0, span[0]), span[1])
    except FilmError as error:
        found.state, found.problem = "failed", str(error)[:300]
    else:
        found.state, found.data, found.seconds = "ready", cut.data, cut.seconds
    found.save()
    run = pinned.run
    notify(run.study.workspace_id, "run", study=run.study_id, run=run.pk)
