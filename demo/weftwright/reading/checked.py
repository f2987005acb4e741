"""The reader up to release 3.8: goes through the file once to check it, and once more to read."""

from weftwright.draft import Draft, DraftError
from weftwright.reading import by_character


def read(path: str) -> Draft:
    checked = by_character.read(path)
    for number, lifted in enumerate(checked.lifts):
        if any(not 1 <= shaft <= checked.shafts for shaft in lifted):
            raise DraftError(f"pick {number + 1} lifts a shaft that the loom does not have")
    return by_character.read(path)
