"""A program that draws at rates of its own, in one piece and in many: logs each picture it shows.

A to F play a rate each, Q quits. What it showed and when stands in truth.jsonl.
"""

import json
import os
import subprocess
import sys
import time

os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"

import pygame
from truth import wait_for

RATES = {
    "a": (300, 1), "b": (600, 1), "c": (1000, 1), "d": (60, 40), "e": (240, 40), "f": (144, 1),
}  # fmt: skip
#: While it plays this one, it works on all cores.
WORKING = "f"
SECONDS = 1.5
WIDTH, HEIGHT, SIDE = 320, 200, 40

pygame.display.init()
screen = pygame.display.set_mode((WIDTH, HEIGHT))
pygame.display.set_caption("Rates")
tiles = [
    pygame.Rect(x, y, SIDE, SIDE) for y in range(0, HEIGHT, SIDE) for x in range(0, WIDTH, SIDE)
]


def play(name: str) -> None:
    hertz, parts = RATES[name]
    work = [sys.executable, "-c", "while True: pass"]
    helpers = [subprocess.Popen(work) for _ in range(os.cpu_count() or 1) if name == WORKING]
    shown = []
    due = time.monotonic_ns()
    for number in range(int(hertz * SECONDS)):
        due += 1_000_000_000 // hertz
        screen.fill((number * 37 % 256, 90, number % 256))
        wait_for(due)
        if parts == 1:
            pygame.display.flip()
        else:
            pygame.display.update(tiles)
        shown.append(time.monotonic_ns())
        if number % 10 == 0:
            pygame.event.pump()
        due = max(due, time.monotonic_ns() - 2_000_000)  # a delay is not made up for in a burst
    for helper in helpers:
        helper.kill()
        helper.wait()
    with open("truth.jsonl", "a") as file:
        file.write(json.dumps({"rate": name, "shown": shown}) + "\n")
    print(f"played {name}", flush=True)


assert len(tiles) == 40
pygame.display.flip()
print("ready", flush=True)
while True:
    event = pygame.event.wait()
    if event.type == pygame.WINDOWEXPOSED:
        pygame.display.flip()
    if event.type == pygame.KEYDOWN:
        key = pygame.key.name(event.key)
        if key in RATES:
            play(key)
        elif key == "q":
            sys.exit(0)
