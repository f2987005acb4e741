"""Settings are read from a program's own files, whatever their format, and secrets stay there."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yardstick_core.formats.settings import HIDDEN, SettingsError, read_settings

INI = b"[view]\nrows = 3\nbare\n[Weave]\nThreads = 2\n"


@pytest.mark.parametrize(
    ("name", "data", "found"),
    [
        ("w.ini", INI, {"view.rows": "3", "view.bare": "", "Weave.Threads": "2"}),
        ("w.json", b'{"view": {"rows": 3, "on": true}}', {"view.rows": "3", "view.on": "true"}),
        ("w.toml", b'[view]\nrows = 3\nname = "x"\n', {"view.rows": "3", "view.name": "x"}),
        ("w.conf", b"# c\nrows = 3\nname: loom\n", {"rows": "3", "name": "loom"}),
        ("settings", b'{"rows": 3}', {"rows": "3"}),
        ("settings", b"[a]\nb=1\n", {"a.b": "1"}),
        ("empty.ini", b"", {}),
    ],
)
def test_each_format_becomes_the_same_flat_table(name, data, found):
    assert read_settings(name, data) == {f"{name}: {key}": value for key, value in found.items()}


def test_only_declared_keys_are_taken_and_ignored_ones_left():
    assert read_settings("w.ini", INI, only=("view.*",)) == {
        "w.ini: view.rows": "3", "w.ini: view.bare": "",
    }  # fmt: skip
    assert read_settings("w.ini", INI, ignore=("view.*",)) == {"w.ini: Weave.Threads": "2"}


@pytest.mark.parametrize("key", ["password", "api_key", "smtp.passwd", "user.token"])
def test_what_names_a_secret_is_never_shown(key):
    found = read_settings("w.conf", f"{key} = hunter2\nuser = ida\n".encode())
    assert found[f"w.conf: {key}"] == HIDDEN
    assert "hunter2" not in str(found)


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("w.json", b'{"a": ', "cannot be read"),
        ("w.toml", b"a = = 1", "cannot be read"),
        ("w.ini", b"\xff\xfe\x00", "not text in UTF-8"),
        ("w.ini", b"a" * (1024 * 1024 + 1), "larger than"),
        ("w.conf", b"".join(b"k%d = 1\n" % n for n in range(2001)), "more than 2000 keys"),
        ("w.json", b"[" * 100_000, "cannot be read"),
    ],
)
def test_a_file_that_cannot_be_read_says_why(name, data, why):
    with pytest.raises(SettingsError, match=why):
        read_settings(name, data)


@given(st.binary(max_size=300), st.sampled_from(["w.ini", "w.json", "w.toml", "w"]))
def test_whatever_a_file_holds_it_is_read_or_refused(data, name):
    try:
        found = read_settings(name, data)
    except SettingsError:
        return
    assert all(isinstance(key, str) and isinstance(value, str) for key, value in found.items())
