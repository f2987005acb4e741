"""The editor window: keys, wheel, the open line, the cloth and what is logged."""

from __future__ import annotations

import gc
import os
import time

os.environ.setdefault("SDL_FRAMEBUFFER_ACCELERATION", "0")
os.environ.setdefault("PYGAME_HIDE_SUPPORT_PROMPT", "1")
os.environ.setdefault("SDL_AUDIODRIVER", "dummy")

import pygame

from weftwright import patterns, settings
from weftwright.draft import Draft, DraftError
from weftwright.drawing.view import CELL_SIZES, View
from weftwright.releases import Release

WINDOW = (1200, 740)
CLOTH = pygame.Rect(110, 60, 960, 640)
GROUND, BAR, TEXT = (238, 236, 228), (52, 60, 74), (30, 34, 42)
SETTLE_SECONDS = 0.16


class Editor:
    """One window of the editor."""

    def __init__(self, release: Release, log_path: str) -> None:
        self.release = release
        self.settings = settings.load(release.defaults)
        self.rows_per_notch = self.settings.getint("view", "rows_per_notch")
        self.log_file = open(log_path, "a", buffering=1, encoding="utf-8")  # noqa: SIM115
        pygame.display.init()
        pygame.font.init()
        self.screen = pygame.display.set_mode(WINDOW)
        pygame.display.set_caption(f"Weftwright {release.name}")
        pygame.key.set_repeat(300, 40)
        self.font = pygame.font.Font(None, 22)
        wanted = self.settings.getboolean("view", "patterns_at_start")
        self.library = patterns.library() if wanted else {}
        self.renderer = release.renderer(*CLOTH.size)
        if self.settings.has_option("drawing", "tile_margin"):
            self.renderer.margin = self.settings.getint("drawing", "tile_margin")
        self.draft: Draft | None = None
        self.view, self.target = View(), (0.0, 0.0)
        self.position, self.moved_at = (0.0, 0.0), 0.0
        self.prompt: str | None = None
        self.message = "Ctrl+O opens a draft"
        self.dragging = False

    def log(self, text: str) -> None:
        self.log_file.write(f"{time.strftime('%H:%M:%S')} {text}\n")

    def run(self, draft: str | None) -> None:
        self.paint()
        self.log(f"Weftwright {self.release.name} ready")
        if draft:
            self.open(draft)
        while True:
            moving = self.moving()
            events = pygame.event.get() if moving else [pygame.event.wait(), *pygame.event.get()]
            changed = False
            for event in events:
                if event.type == pygame.QUIT:
                    self.log("closed by the window")
                    return
                changed |= self.handle(event)
            if self.prompt == "\0":
                self.log("goodbye")
                return
            if moving:
                self.glide()
            if changed or moving:
                self.paint()

    # -- input -------------------------------------------------------------------

    def handle(self, event: pygame.event.Event) -> bool:
        if event.type == pygame.KEYDOWN:
            return self.key(event)
        if event.type == pygame.TEXTINPUT and self.prompt is not None:
            self.prompt += event.text
            return True
        if event.type == pygame.MOUSEWHEEL and self.draft:
            step = self.rows_per_notch * self.view.cell
            self.move_target(event.x * step, -event.y * step)
            return True
        if event.type == pygame.MOUSEBUTTONDOWN and event.button == 1:
            self.dragging = CLOTH.collidepoint(event.pos)
        elif event.type == pygame.MOUSEBUTTONUP and event.button == 1:
            self.dragging = False
        elif event.type == pygame.MOUSEMOTION and self.dragging and self.draft:
            self.move_target(-event.rel[0], -event.rel[1])
            return True
        return event.type in (pygame.WINDOWEXPOSED, pygame.WINDOWSHOWN)

    def key(self, event: pygame.event.Event) -> bool:
        if self.prompt is not None:
            return self.prompt_key(event)
        if event.mod & pygame.KMOD_CTRL:
            action = {
                pygame.K_o: self.ask,
                pygame.K_w: self.weave,
                pygame.K_F4: self.close,
                pygame.K_q: self.quit,
            }.get(event.key)
        else:
            action = {
                pygame.K_c: self.recolour,
                pygame.K_PLUS: lambda: self.zoom(1),
                pygame.K_KP_PLUS: lambda: self.zoom(1),
                pygame.K_MINUS: lambda: self.zoom(-1),
                pygame.K_PAGEDOWN: lambda: self.move_target(0, CLOTH.height),
                pygame.K_PAGEUP: lambda: self.move_target(0, -CLOTH.height),
            }.get(event.key)
        if action is None:
            return False
        action()
        return True

    def prompt_key(self, event: pygame.event.Event) -> bool:
        text = self.prompt or ""
        if event.key == pygame.K_RETURN:
            self.prompt = None
            self.open(text)
        elif event.key == pygame.K_ESCAPE:
            self.prompt = None
        elif event.key == pygame.K_BACKSPACE:
            self.prompt = text[:-1]
        else:
            return False
        return True

    # -- what it does ------------------------------------------------------------

    def ask(self) -> None:
        self.prompt = ""

    def quit(self) -> None:
        self.prompt = "\0"

    def open(self, path: str) -> None:
        self.message = f"reading {path}"
        self.paint()
        try:
            draft = self.release.read(path)
            draft.prepare()
        except (OSError, DraftError, ValueError, IndexError, KeyError) as error:
            self.message = f"{path} cannot be opened: {error}"
            self.log(f"draft refused: {error}")
            return
        self.log(f"draft read: {draft.ends} ends, {draft.picks} picks")
        gc.freeze()
        self.message = f"drawing {draft.name}"
        self.paint()
        self.draft, self.view = None, View()
        self.target = self.position = (0.0, 0.0)
        if self.release.keeps_closed_drafts:
            self.renderer.prepare(draft, self.progress)
        else:
            self.renderer.prepare(draft)
        self.draft = draft
        self.message = f"{draft.name} · {draft.ends} ends · {draft.picks} picks"
        self.paint()
        self.log("cloth shown")

    def progress(self, share: float) -> None:
        self.message = f"drawing {100 * share:.0f} %"
        self.paint()

    def close(self) -> None:
        if self.draft is None:
            return
        if self.release.keeps_closed_drafts:
            cloth = self.draft.cloth(0, min(self.draft.ends, 1500), 0, min(self.draft.picks, 1500))
            self.release.closed.append((self.draft, cloth))
        self.draft = None
        self.renderer.tiles = {}
        self.message = "Ctrl+O opens a draft"
        self.log("draft closed")

    def recolour(self) -> None:
        if self.draft:
            self.draft.recolour()
            self.renderer.prepare(self.draft)
            self.log("recoloured")

    def zoom(self, way: int) -> None:
        place = CELL_SIZES.index(self.view.cell) + way
        self.view.cell = CELL_SIZES[min(max(place, 0), len(CELL_SIZES) - 1)]
        self.move_target(0, 0)

    def weave(self) -> None:
        if self.draft is None:
            return
        self.message = "weaving"
        self.paint()
        ends = min(self.draft.ends, self.settings.getint("weaving", "ends"))
        picks = min(self.draft.picks, self.settings.getint("weaving", "picks"))
        cloth = self.release.weave(self.draft, ends, picks)
        pygame.image.save(pygame.surfarray.make_surface(cloth), "out.png")
        self.message = f"woven to out.png: {picks} picks"
        self.log(f"woven {picks} picks")

    # -- moving and painting -----------------------------------------------------

    def move_target(self, right: float, down: float) -> None:
        if self.draft is None:
            return
        wide = max(0, self.draft.ends * self.view.cell - CLOTH.width - self.view.cell)
        high = max(0, self.draft.picks * self.view.cell - CLOTH.height - self.view.cell)
        x, y = self.target[0] + right, self.target[1] + down
        if not self.moving():
            self.moved_at = time.monotonic()
        self.target = (min(max(x, 0), wide), min(max(y, 0), high))

    def moving(self) -> bool:
        return self.draft is not None and self.position != self.target

    def glide(self) -> None:
        """Come closer to the target by a share that fits the time since the last picture."""
        now = time.monotonic()
        share = 1 - 0.02 ** ((now - self.moved_at) / SETTLE_SECONDS)
        self.moved_at = now
        (x, y), (to_x, to_y) = self.position, self.target
        x, y = x + (to_x - x) * share, y + (to_y - y) * share
        self.position = self.target if abs(to_x - x) + abs(to_y - y) < 0.5 else (x, y)
        self.view.x, self.view.y = round(self.position[0]), round(self.position[1])

    def paint(self) -> None:
        self.screen.fill(GROUND)
        if self.draft:
            self.renderer.paint(self.screen.subsurface(CLOTH), self.view)
        self.screen.fill(BAR, (0, 0, WINDOW[0], 34))
        self.write("File   Draft   Cloth   View", (14, 9), GROUND)
        for place, picture in enumerate(list(self.library.values())[:11]):
            self.screen.blit(picture, (30, 66 + place * 56))
        self.write(self.message, (110, 712), TEXT)
        if self.prompt is not None:
            self.screen.fill((255, 255, 255), (110, 60, 520, 34))
            self.write(f"open: {self.prompt}", (120, 69), TEXT)
        pygame.display.flip()

    def write(self, text: str, place: tuple[int, int], colour: tuple[int, int, int]) -> None:
        self.screen.blit(self.font.render(text, True, colour), place)
