"""A program with a known schedule, on Qt: the twin of truth_sdl.py."""

import os
import sys

from PyQt5 import QtCore, QtGui, QtWidgets
from truth import Truth, play_frames, run_load, run_save

application = QtWidgets.QApplication(sys.argv)
shade = 0


class Cloth(QtWidgets.QWidget):
    def paintEvent(self, event: QtGui.QPaintEvent) -> None:
        painter = QtGui.QPainter(self)
        painter.fillRect(event.rect(), QtGui.QColor(shade, 90, 255 - shade))
        painter.end()

    def keyPressEvent(self, event: QtGui.QKeyEvent) -> None:
        act = {"f": play, "l": load, "s": save, "q": leave}.get(event.text())
        if act:
            act()


cloth = Cloth()
cloth.setWindowTitle("Truth")
cloth.setFixedSize(640, 480)
truth = Truth()


def present() -> None:
    global shade
    shade = (shade + 37) % 256
    cloth.repaint()
    truth.note("frame")
    application.sync()  # the server has drawn it before the next is asked for


def play() -> None:
    play_frames(truth, present)


def load() -> None:
    run_load(truth, present)


def save() -> None:
    run_save(truth)


def leave() -> None:
    truth.note("exit")
    os._exit(0)


cloth.show()
cloth.activateWindow()
while not cloth.windowHandle().isExposed():
    application.processEvents(QtCore.QEventLoop.AllEvents, 20)
present()
truth.log("ready")
application.exec_()
