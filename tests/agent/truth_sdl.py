"""A program with a known schedule, on SDL: logs when it presents every picture.

F plays frames, L loads, S saves, Q quits. What it did and when stands in truth.jsonl.
"""

import os

os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"

import pygame
from truth import Truth, play_frames, run_load, run_save

pygame.display.init()
screen = pygame.display.set_mode((640, 480))
pygame.display.set_caption("Truth")
truth = Truth()
shade = 0


def present() -> None:
    global shade
    shade = (shade + 37) % 256
    screen.fill((shade, 90, 255 - shade))
    pygame.display.flip()
    truth.note("frame")


present()
truth.log("ready")
while True:
    event = pygame.event.wait()
    if event.type == pygame.WINDOWEXPOSED:
        present()
    if event.type != pygame.KEYDOWN:
        continue
    if event.key == pygame.K_f:
        play_frames(truth, present)
    elif event.key == pygame.K_l:
        run_load(truth, present)
    elif event.key == pygame.K_s:
        run_save(truth)
    elif event.key == pygame.K_q:
        truth.note("exit")
        os._exit(0)
