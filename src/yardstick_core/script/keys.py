"""Names of keys in a session script and the X11 keysym each stands for."""

from __future__ import annotations

MODIFIERS = {"Ctrl": 0xFFE3, "Shift": 0xFFE1, "Alt": 0xFFE9, "Super": 0xFFEB}

NAMED = {
    "Enter": 0xFF0D,
    "Escape": 0xFF1B,
    "Tab": 0xFF09,
    "Space": 0x0020,
    "Backspace": 0xFF08,
    "Delete": 0xFFFF,
    "Insert": 0xFF63,
    "Home": 0xFF50,
    "End": 0xFF57,
    "PageUp": 0xFF55,
    "PageDown": 0xFF56,
    "Left": 0xFF51,
    "Up": 0xFF52,
    "Right": 0xFF53,
    "Down": 0xFF54,
    "Menu": 0xFF67,
    "Plus": 0x002B,
    "Minus": 0x002D,
    "Comma": 0x002C,
    **{f"F{n}": 0xFFBD + n for n in range(1, 25)},
}

NAMES = (*MODIFIERS, *NAMED)


def keysym(name: str) -> int | None:
    """The keysym of one key name, or None where there is no such key."""
    if name in MODIFIERS:
        return MODIFIERS[name]
    if name in NAMED:
        return NAMED[name]
    if len(name) == 1:
        return character_keysym(name)
    return None


def character_keysym(character: str) -> int:
    """The keysym that types one character; beyond Latin-1 the Unicode range is used."""
    code = ord(character)
    if character == "\n":
        return NAMED["Enter"]
    if character == "\t":
        return NAMED["Tab"]
    return code if code < 0x100 else 0x01000000 | code


def keysym_character(code: int) -> str | None:
    """The character that a keysym types, or None where it types none."""
    if 0x20 <= code < 0x7F or 0xA0 <= code < 0x100:
        return chr(code)
    if 0x01000100 <= code <= 0x0110FFFF:
        return chr(code & 0x00FFFFFF)
    return None


def unknown_key(chord: str) -> str | None:
    """The first part of a chord that is no key, or None where all are."""
    *held, last = chord.split("+")
    for part in held:
        if part not in MODIFIERS:
            return part
    return None if keysym(last) is not None else last


def chord_keysyms(chord: str) -> tuple[int, ...]:
    """Keysyms of a chord in the order they are pressed: `Ctrl+O` holds Ctrl, then o."""
    *held, last = chord.split("+")
    last = last.lower() if len(last) == 1 and held else last
    found = [keysym(part) for part in (*held, last)]
    if None in found:
        raise ValueError(f"{chord!r} is no chord")
    return tuple(code for code in found if code is not None)
