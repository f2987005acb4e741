"""`./yardstick bench race [MINUTES]`: how well two long films of a race keep in step.

Two films of 1280 by 800 pixels and 30 pictures a second take the place of the demonstration's; a
page plays them from its own clock, in headless Chromium. Once a second it is asked where each film
is. Wanted: within a picture of a film of 30 (33 ms), 40 ms at worst.
"""

from __future__ import annotations

import sys
import time
from fractions import Fraction
from pathlib import Path
from statistics import median

import av
import numpy as np
from playwright.sync_api import Page, Route, sync_playwright

from yardstick_command.developer.own_server import own_server

SIZE, RATE, RACERS = (1280, 800), 30, 2
WORST_S = 0.040
CHROMIUM = "/usr/bin/chromium"
FILMS = "[...document.querySelectorAll('video')]"
#: What begins late is not out of step: films are held against one another from here on.
SETTLED_S = 3


def write_film(path: Path, seconds: float) -> None:
    """A film in which a bar moves on with every picture."""
    with av.open(str(path), "w", options={"movflags": "faststart"}) as made:
        stream = made.add_stream("libx264", rate=RATE, options={"preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        stream.codec_context.gop_size = 2 * RATE
        stream.codec_context.time_base = Fraction(1, RATE)
        ground = np.full((SIZE[1] * 3 // 2, SIZE[0]), 128, np.uint8)
        ground[: SIZE[1]] = 220
        for number in range(round(seconds * RATE)):
            picture = ground.copy()
            left = 8 * number % (SIZE[0] - 40)
            picture[300:500, left : left + 40] = 40
            frame = av.VideoFrame.from_ndarray(picture, "yuv420p")
            frame.pts = number
            made.mux(stream.encode(frame))
        made.mux(stream.encode(None))


def longer(route: Route, seconds: float) -> None:
    """The race of the demonstration as it would be with such films: its first racers alone."""
    answer = route.fetch()
    race = answer.json()
    race["racers"] = race["racers"][:RACERS]
    for racer in race["racers"]:
        racer["end_s"] = seconds
        racer["film"] |= {"seconds": seconds, "width": SIZE[0], "height": SIZE[1]}
    race["end_s"] = seconds
    route.fulfill(response=answer, json=race)


def skews(page: Page, began: list[float], seconds: float) -> list[float]:
    """How far apart the films are, s of the race, once a second for as long as they play."""
    apart = []
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        time.sleep(1.0)
        at = page.evaluate(f"{FILMS}.map((film) => film.currentTime)")
        instants = [film + start for film, start in zip(at, began, strict=True)]
        apart.append(max(instants) - min(instants))
    return apart


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 10.0
    seconds = 60 * minutes + SETTLED_S + 5
    with own_server("race") as server, sync_playwright() as playwright:
        films = sorted(server.films.rglob("film-*.mp4"))[:RACERS]
        write_film(films[0], seconds)
        for film in films[1:]:
            film.write_bytes(films[0].read_bytes())
        said = f"{minutes:g} minutes, {SIZE[0]}x{SIZE[1]}, {RATE} pictures a second"
        print(f"{RACERS} films of {said}, {films[0].stat().st_size / 2**20:.0f} MiB each")
        browser = playwright.chromium.launch(
            executable_path=CHROMIUM, args=["--no-sandbox", "--disable-gpu"]
        )
        base = server.link.split("/sign-in/")[0]
        page = browser.new_context(
            base_url=base, viewport={"width": 1600, "height": 900}
        ).new_page()
        page.goto(server.link)
        page.goto("/")
        question = page.get_by_role("link", name="Is 5.0-rc1 ready for wide drafts?").first
        study = str(question.get_attribute("href"))
        page.route("**/race", lambda route: longer(route, seconds) if "/api/" in route.request.url
                   else route.continue_())  # fmt: skip
        page.goto(f"{study}/race")
        page.get_by_role("button", name="Play").wait_for()
        race = page.evaluate(f"fetch('/api{study}/race').then((answer) => answer.json())")
        began = [racer["film"]["began_s"] for racer in race["racers"]]
        page.keyboard.press(" ")
        time.sleep(SETTLED_S)
        first = page.evaluate(f"{FILMS}[0].currentTime")
        started = time.monotonic()
        apart = np.array(skews(page, began, 60 * minutes))
        played = page.evaluate(f"{FILMS}[0].currentTime") - first
        wall = time.monotonic() - started
        dropped = page.evaluate(
            f"{FILMS}.map((film) => {{ const seen = film.getVideoPlaybackQuality();"
            " return seen.droppedVideoFrames / seen.totalVideoFrames; })"
        )
        browser.close()
    print(f"played {played:.1f} s of film in {wall:.1f} s")
    print(f"apart: {1000 * median(apart):.1f} ms in the middle, "
          f"{1000 * float(np.percentile(apart, 95)):.1f} ms in 95 of 100 looks, "
          f"{1000 * float(apart.max()):.1f} ms at worst, of {len(apart)} looks")  # fmt: skip
    print(f"pictures dropped: {', '.join(f'{100 * share:.1f} %' for share in dropped)}")
    late = float((apart > WORST_S).mean())
    print(
        f"more than {1000 * WORST_S:.0f} ms apart: {100 * late:.1f} % of the looks (wanted: none)"
    )


if __name__ == "__main__":
    main()
