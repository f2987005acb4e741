"""One program on three toolkits that does what a key asks: `acting.py tk|qt|sdl [splash|launch]`.

Its window is 400x300 and blue. What it did, and when, stands in truth.jsonl beside it.
"""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from truth import Truth, wait_for

WIDTH, HEIGHT = 400, 300
CARET = (350, 20, 4, 16)
BLUE, RED, WHITE = (32, 80, 128), (192, 64, 32), (255, 255, 255)
CARET_SECONDS = 0.15

Box = tuple[int, int, int, int]
Colour = tuple[int, int, int]


class Tk:
    def __init__(self) -> None:
        import tkinter

        self.tkinter = tkinter
        self.root = tkinter.Tk()
        self.root.withdraw()
        self.dialog: object = None

    def _canvas(self, window: object, title: str) -> object:
        window.title(title)
        canvas = self.tkinter.Canvas(
            window, width=WIDTH, height=HEIGHT, highlightthickness=0, bg=_hex(BLUE)
        )
        canvas.pack()
        return canvas

    def splash(self) -> Callable[[], None]:
        window = self.tkinter.Toplevel(self.root)
        window.overrideredirect(True)
        self._canvas(window, "Starting")
        self.root.update()
        return window.destroy

    def main(self, title: str) -> None:
        self.canvas = self._canvas(self.root, title)
        self.root.deiconify()
        self.root.update()
        self.root.focus_force()
        self.root.update()

    def paint(self, box: Box, colour: Colour) -> None:
        x, y, width, height = box
        self.canvas.create_rectangle(x, y, x + width, y + height, fill=_hex(colour), width=0)
        self.root.update_idletasks()
        self.root.winfo_pointerx()  # asks the server: it has drawn what was asked before

    def open_dialog(self, title: str) -> None:
        self.dialog = self.tkinter.Toplevel(self.root)
        self.dialog.title(title)
        self.dialog.geometry("200x100")
        self.root.update()

    def close_dialog(self) -> None:
        self.dialog.destroy()
        self.root.update()

    def rename(self, title: str) -> None:
        self.root.title(title)
        self.root.update()

    def run(self, pressed: Callable[[str], None], beat: Callable[[], None]) -> None:
        def again() -> None:
            beat()
            self.root.after(20, again)

        self.root.bind_all("<Key>", lambda event: pressed(event.char))
        again()
        self.root.mainloop()


class Qt:
    def __init__(self) -> None:
        from PyQt5 import QtCore, QtGui, QtWidgets

        self.core, self.gui, self.widgets = QtCore, QtGui, QtWidgets
        self.application = QtWidgets.QApplication([])
        self.picture = QtGui.QPixmap(WIDTH, HEIGHT)
        self.picture.fill(QtGui.QColor(*BLUE))

    def _cloth(self, title: str, flags: object) -> object:
        cloth = self.widgets.QWidget(None, flags)
        cloth.setWindowTitle(title)
        cloth.setFixedSize(WIDTH, HEIGHT)

        def paint(event: object) -> None:
            painter = self.gui.QPainter(cloth)
            painter.drawPixmap(event.rect(), self.picture, event.rect())
            painter.end()

        cloth.paintEvent = paint
        return cloth

    def splash(self) -> Callable[[], None]:
        cloth = self._cloth("Starting", self.core.Qt.SplashScreen)
        cloth.show()
        self.application.processEvents()
        return cloth.close

    def main(self, title: str) -> None:
        self.cloth = self._cloth(title, self.core.Qt.Window)
        self.cloth.keyPressEvent = lambda event: self.pressed(event.text())
        self.cloth.show()
        self.cloth.activateWindow()
        self.application.processEvents()

    def paint(self, box: Box, colour: Colour) -> None:
        painter = self.gui.QPainter(self.picture)
        painter.fillRect(*box, self.gui.QColor(*colour))
        painter.end()
        self.cloth.repaint(*box)
        self.application.sync()

    def open_dialog(self, title: str) -> None:
        self.dialog = self.widgets.QDialog(self.cloth)
        self.dialog.setWindowTitle(title)
        self.dialog.resize(200, 100)
        self.dialog.keyPressEvent = lambda event: self.pressed(event.text())
        self.dialog.show()

    def close_dialog(self) -> None:
        self.dialog.close()

    def rename(self, title: str) -> None:
        self.cloth.setWindowTitle(title)
        self.application.sync()

    def run(self, pressed: Callable[[str], None], beat: Callable[[], None]) -> None:
        self.pressed = pressed
        timer = self.core.QTimer()
        timer.timeout.connect(beat)
        timer.start(20)
        self.application.exec_()


class Sdl:
    def __init__(self) -> None:
        os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
        os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"
        import pygame

        self.pygame = pygame
        pygame.display.init()

    def splash(self) -> Callable[[], None]:
        window = self.pygame.Window("Starting", (WIDTH, HEIGHT), borderless=True)
        window.get_surface().fill(BLUE)
        window.flip()
        self.pygame.event.pump()
        return window.destroy

    def main(self, title: str) -> None:
        self.window = self.pygame.Window(title, (WIDTH, HEIGHT))
        self.window.get_surface().fill(BLUE)
        self.window.flip()
        self.window.focus()
        self.pygame.event.pump()

    def paint(self, box: Box, colour: Colour) -> None:
        self.window.get_surface().fill(colour, box)
        self.window.flip()

    def open_dialog(self, title: str) -> None:
        self.dialog = self.pygame.Window(title, (200, 100))
        self.dialog.get_surface().fill(WHITE)
        self.dialog.flip()

    def close_dialog(self) -> None:
        self.dialog.destroy()

    def rename(self, title: str) -> None:
        self.window.title = title

    def run(self, pressed: Callable[[str], None], beat: Callable[[], None]) -> None:
        while True:
            for event in self.pygame.event.get():
                if event.type == self.pygame.KEYDOWN:
                    pressed(event.unicode)
                elif event.type == self.pygame.WINDOWCLOSE:
                    os._exit(0)
            beat()
            time.sleep(0.02)


def _hex(colour: Colour) -> str:
    return "#" + "".join(f"{part:02x}" for part in colour)


class Acts:
    """What each key does."""

    def __init__(self, toolkit: Tk | Qt | Sdl, truth: Truth) -> None:
        self.toolkit, self.truth = toolkit, truth
        self.blinking, self.lit, self.blinked = False, False, 0.0

    def pressed(self, key: str) -> None:
        act = getattr(self, f"on_{key}", None) if key.isalpha() else None
        if act is not None:
            act()

    def beat(self) -> None:
        """The blinking caret."""
        if self.blinking and time.monotonic() - self.blinked >= CARET_SECONDS:
            self.blinked, self.lit = time.monotonic(), not self.lit
            self.toolkit.paint(CARET, WHITE if self.lit else BLUE)

    def on_b(self) -> None:
        self.blinking = True

    def on_c(self) -> None:
        self.toolkit.close_dialog()
        self.truth.note("closed")

    def on_d(self) -> None:
        self.toolkit.open_dialog("Save as")
        self.truth.note("opened")

    def on_e(self) -> None:
        self.truth.log("giving up")
        os._exit(3)

    def on_h(self) -> None:
        time.sleep(60)

    def on_i(self) -> None:
        shutil.copyfile("wanted.png", "out.png")

    def on_n(self) -> None:
        self.truth.log("woven 1,234 picks")

    def on_p(self) -> None:
        """Two parts of the window turn red, 100 ms apart; then the picture is the wanted one."""
        self.toolkit.paint((0, 0, 200, 150), RED)
        wait_for(time.monotonic_ns() + 100_000_000)
        self.toolkit.paint((200, 150, 200, 150), RED)
        self.truth.note("painted")

    def on_q(self) -> None:
        self.truth.note("exit")
        os._exit(0)

    def on_r(self) -> None:
        """After a second of reading the window is called by what was read."""
        wait_for(time.monotonic_ns() + 1_000_000_000)
        self.truth.note("renamed")  # the next key may end it before it comes back from there
        self.toolkit.rename("draft")

    def on_x(self) -> None:
        os.kill(os.getpid(), signal.SIGKILL)


def main() -> None:
    words = sys.argv[2:]
    if "launch" in words:
        subprocess.Popen([sys.executable, str(Path(__file__)), sys.argv[1]])
        return
    toolkit = {"tk": Tk, "qt": Qt, "sdl": Sdl}[sys.argv[1]]()
    truth = Truth()
    if "splash" in words:
        done = toolkit.splash()
        truth.note("splash")
        wait_for(time.monotonic_ns() + 300_000_000)
        toolkit.main("Acting")
        done()
    else:
        toolkit.main("Acting")
    truth.log("ready")
    acts = Acts(toolkit, truth)
    toolkit.run(acts.pressed, acts.beat)


main()
