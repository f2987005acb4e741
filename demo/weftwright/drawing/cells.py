"""The renderer up to release 4.1: fills every visible cell anew for each picture."""

from __future__ import annotations

import pygame

from weftwright.draft import Draft
from weftwright.drawing.view import Sheen, View


class CellRenderer:
    def __init__(self, width: int, height: int) -> None:
        self.width, self.height = width, height
        self.sheen = Sheen(width, height)

    def prepare(self, draft: Draft) -> None:
        self.draft = draft

    def paint(self, target: pygame.Surface, view: View) -> None:
        cell = view.cell
        first_end, first_pick = view.x // cell, view.y // cell
        colours = self.draft.cloth(
            first_end, self.width // cell + 2, first_pick, self.height // cell + 2
        ).tolist()
        fill = target.fill
        left, top = first_end * cell - view.x, first_pick * cell - view.y
        for across, column in enumerate(colours):
            x = left + across * cell
            for along, colour in enumerate(column):
                fill(colour, (x, top + along * cell, cell - 1, cell - 1))
        self.sheen.apply(target)
