"""Names of keys, chords and the characters that keys type."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yardstick_core.script import keys

PRINTED = st.characters(exclude_categories=("Cc", "Cs", "Cn", "Co"))


@given(PRINTED)
def test_the_key_of_a_character_types_that_character(character):
    assert keys.keysym_character(keys.character_keysym(character)) == character


def test_ends_of_lines_and_columns_are_keys_of_their_own_and_type_nothing():
    assert keys.character_keysym("\n") == keys.keysym("Enter")
    assert keys.character_keysym("\t") == keys.keysym("Tab")
    typing = {"Space": " ", "Plus": "+", "Minus": "-", "Comma": ",", "Period": "."}
    for name in keys.NAMES:
        assert keys.keysym_character(keys.keysym(name)) == typing.get(name), name


@pytest.mark.parametrize(
    ("chord", "unknown"),
    [
        ("Ctrl+S", None),
        ("Ctrl+Shift+F5", None),
        ("a", None),
        ("Ctrl+", ""),
        ("Crtl+S", "Crtl"),
        ("S+Ctrl", "S"),
        ("Ctrl+Sve", "Sve"),
    ],
)
def test_the_first_part_of_a_chord_that_is_no_key_is_named(chord, unknown):
    assert keys.unknown_key(chord) == unknown


def test_letters_of_chords_are_pressed_without_shift_and_single_ones_as_they_stand():
    assert keys.chord_keysyms("Ctrl+S")[-1] == keys.character_keysym("s")
    assert keys.chord_keysyms("S") == (keys.character_keysym("S"),)
    with pytest.raises(ValueError, match="no chord"):
        keys.chord_keysyms("Ctrl+Nowhere")
