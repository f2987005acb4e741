"""A program whose own speed is known to itself: ten seconds of 144 pictures a second, then work.

It may be asked for another number of pictures, and of seconds (two at least).

It measures itself, writes result.json and ends: what a sampler beside it costs shows in there.
"""

import json
import os
import sys
import time

os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"

import pygame

asked = [int(word) for word in sys.argv[1:]]
HERTZ, SECONDS = (asked + [144, 10][len(asked) :])[:2]
WORK = 300

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


gaps, due, last = [], time.perf_counter(), time.perf_counter()
for number in range(HERTZ * SECONDS):
    due += 1 / HERTZ
    time.sleep(max(0.0, due - time.perf_counter()))
    draw(number)
    now = time.perf_counter()
    gaps.append(now - last)
    last = now
began = time.perf_counter()
for number in range(WORK):
    total = sum(value * value for value in range(30_000))
    for frame in range(20):
        draw(number + frame)
worked = time.perf_counter() - began
gaps = sorted(gaps[HERTZ:])
with open("result.json", "w") as file:
    json.dump({"worked_s": worked, "p99_ms": 1000 * gaps[int(0.99 * len(gaps))]}, file)
