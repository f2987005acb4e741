"""Names of files that a session may speak of, and kinds of files that a program may run."""

from __future__ import annotations

import re

LONGEST = 200
#: A file that a session brings along: it must not look like an option or a hidden file.
_FIXTURE = re.compile(r"[^\W_][^/\\\x00-\x1f\x7f]{0,199}")
#: Kinds that interpreters, loaders, shells and desktops run or load, by the end of their names.
_CODE = frozenset(
    [
        "py",
        "pyc",
        "pyo",
        "pyw",
        "pyd",
        "pth",
        "pyz",
        "egg",
        "so",
        "dll",
        "dylib",
        "exe",
        "com",
        "bat",
        "cmd",
        "ps1",
        "sh",
        "bash",
        "zsh",
        "fish",
        "csh",
        "ksh",
        "pl",
        "pm",
        "rb",
        "lua",
        "tcl",
        "js",
        "mjs",
        "cjs",
        "vbs",
        "wsf",
        "jar",
        "class",
        "war",
        "desktop",
        "service",
        "ini",
        "cfg",
        "conf",
        "rc",
        "inf",
        "reg",
        "lnk",
        "url",
        "scf",
        "hta",
        "msi",
        "deb",
        "rpm",
        "appimage",
        "run",
        "bin",
        "elf",
        "o",
        "a",
        "ko",
        "wasm",
        "el",
        "elc",
        "vim",
        "gdb",
        "gdbinit",
        "plist",
        "xpi",
    ]
)
#: How such files begin, whatever they are called.
_MAGIC = (b"#!", b"\x7fELF", b"MZ", b"\xca\xfe\xba\xbe", b"\xcf\xfa\xed\xfe", b"\0asm")


def is_fixture_name(name: str) -> bool:
    """Whether a fixture may be called so: a plain file name that begins with a letter or digit.

    >>> [is_fixture_name(name) for name in ("tea-towel.weft", "--help", ".profile", "a/b")]
    [True, False, False, False]
    """
    return _FIXTURE.fullmatch(name) is not None and not name.endswith((" ", "."))


def is_below(name: str) -> bool:
    """Whether a name is a plain relative path that leads nowhere above the folder it is read in.

    >>> [is_below(name) for name in ("out/report.txt", "/etc/shadow", "../x", "a//b")]
    [True, False, False, False]
    """
    parts = name.split("/")
    plain = all(part and part not in (".", "..") for part in parts)
    return plain and len(name) <= LONGEST and not re.search(r"[\x00-\x1f\x7f\\]", name)


def runnable_kind(name: str, content: bytes) -> str:
    """Of which kind a file is that a program may run or load; empty for plain data.

    >>> runnable_kind("weftwright.py", b"")
    'named *.py'
    """
    end = name.rpartition(".")[2].lower() if "." in name else ""
    if end in _CODE or re.search(r"\.so\.\d", name.lower()):
        return f"named *.{end}"
    if content.startswith(_MAGIC):
        return "a program by its first bytes"
    return ""
