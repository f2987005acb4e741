"""What the lines of a draft file mean; shared by all readers."""

from weftwright.draft import Draft, DraftError


class DraftBuilder:
    """Collects statements, each a list of words, into a draft."""

    def __init__(self) -> None:
        self.name, self.shafts = "", 0
        self.palette: dict[str, tuple[int, int, int]] = {}
        self.threading: list[int] = []
        self.warp: list[str] = []
        self.lifts: list[tuple[int, ...]] = []
        self.weft: list[str] = []

    def statement(self, words: list[str]) -> None:
        word, rest = words[0], words[1:]
        if word == "pick":
            self.weft.append(rest[0])
            self.lifts.append(tuple(map(int, rest[1:])))
        elif word == "end":
            self.threading.append(int(rest[0]))
            self.warp.append(rest[1])
        elif word == "colour":
            code = rest[1]
            self.palette[rest[0]] = (int(code[0:2], 16), int(code[2:4], 16), int(code[4:6], 16))
        elif word == "shafts":
            self.shafts = int(rest[0])
        elif word == "draft":
            self.name = rest[0]
        else:
            raise DraftError(f"{word!r} means nothing in a draft")

    def draft(self) -> Draft:
        if not self.lifts or not self.threading:
            raise DraftError("the file holds no draft")
        return Draft(
            self.name, self.shafts, self.palette, self.threading, self.warp, self.lifts, self.weft
        )
