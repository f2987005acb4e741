"""A program whose own speed is known to itself: ten seconds of 144 pictures a second.

Asked for a number of seconds, it draws for so long as fast as it can, with some reckoning between.

It measures itself, writes result.json and ends: what a sampler beside it costs shows in there.
"""

import json
import os
import sys
import time

os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"

import pygame

HERTZ, SECONDS = 144, 10

pygame.display.init()
screen = pygame.display.set_mode((640, 480))
pygame.display.set_caption("Drawing")
tile = pygame.Surface((32, 32))


def draw(number: int) -> None:
    for x in range(0, 640, 32):
        tile.fill((number * 7 % 256, x % 256, 120))
        screen.blit(tile, (x, (number * 3 + x) % 448))
    pygame.display.flip()
    pygame.event.pump()


def at_rate() -> dict[str, float]:
    """The 99th percentile of its frame times, ms, without those of the first second."""
    gaps, due, last = [], time.perf_counter(), time.perf_counter()
    for number in range(HERTZ * SECONDS):
        due += 1 / HERTZ
        time.sleep(max(0.0, due - time.perf_counter()))
        draw(number)
        now = time.perf_counter()
        gaps.append(now - last)
        last = now
    gaps = sorted(gaps[HERTZ:])
    return {"p99_ms": 1000 * gaps[int(0.99 * len(gaps))]}


def at_full_speed(seconds: float) -> dict[str, list[int]]:
    """When each turn of reckoning and twenty pictures ended, ns."""
    ended: list[int] = []
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        sum(value * value for value in range(30_000))
        for frame in range(20):
            draw(len(ended) + frame)
        ended.append(time.monotonic_ns())
    return {"ended_ns": ended}


told = at_full_speed(float(sys.argv[1])) if len(sys.argv) > 1 else at_rate()
with open("result.json", "w") as file:
    json.dump(told, file)
