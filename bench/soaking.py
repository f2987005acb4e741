"""A program that keeps a known amount of memory: `soaking.py MIB_PER_MINUTE`.

On the key w it works for a second and says so in its log; meanwhile and always it draws ten
pictures a second and keeps what it owes by the clock.
"""

import os
import sys
import time

os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"

import pygame

PAGE = 4096
per_second = float(sys.argv[1]) * 2**20 / 60
pygame.display.init()
screen = pygame.display.set_mode((400, 300))
pygame.display.set_caption("Soaking")
log = open("soaking.log", "w", buffering=1)  # noqa: SIM115
kept: list[bytearray] = []
held, shade, working_until = 0, 0, 0.0
log.write("ready\n")
began = time.monotonic()
while True:
    for event in pygame.event.get():
        if event.type == pygame.KEYDOWN and event.key == pygame.K_w:
            working_until = time.monotonic() + 1
        if event.type == pygame.QUIT:
            sys.exit(0)
    owed = int((time.monotonic() - began) * per_second) - held
    if owed >= 16 * PAGE:
        pages = owed // PAGE * PAGE
        part = bytearray(pages)
        part[::PAGE] = b"x" * (pages // PAGE)  # touched, so that it is really held
        kept.append(part)
        held += pages
    shade = (shade + 5) % 256
    screen.fill((shade, 90, 120))
    pygame.display.flip()
    if working_until and time.monotonic() >= working_until:
        working_until = 0.0
        log.write("worked\n")
    time.sleep(0.1)
