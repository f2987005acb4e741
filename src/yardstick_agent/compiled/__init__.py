"""Compiled code that waits without the interpreter, which costs a fraction of waking that.

It is built from `waiting.c` where the project is set up, and handed to rigs in the agent's wheel.
Where there is none for a machine, the same is done in Python, at a higher cost.
"""

from __future__ import annotations

import ctypes
import platform
from functools import cache
from pathlib import Path
from typing import Any

import xcffib

LIBRARY = Path(__file__).with_name(f"waiting-{platform.machine()}.so")

#: Has no whole types of its own.
_xcffib: Any = xcffib
_OF_THE_MACHINE = ("clock_gettime", "nanosleep", "write", "poll", "pread", "read")


class Look(ctypes.Structure):
    """How often is looked, when nothing had come for the last time, and when it was last asked."""

    _fields_ = [
        ("every_ms", ctypes.c_int), ("stopping", ctypes.c_int),
        ("quiet_since_ns", ctypes.c_int64), ("asked_ns", ctypes.c_int64),
    ]  # fmt: skip


@cache
def library() -> ctypes.CDLL | None:
    """The compiled code; None where there is none for this machine."""
    try:
        return ctypes.CDLL(str(LIBRARY))
    except OSError:
        return None


@cache
def calls() -> ctypes.Array[ctypes.c_void_p]:
    """Addresses of what the compiled code calls."""
    ffi, machine = _xcffib.ffi, ctypes.CDLL(None)
    wait = int(ffi.cast("uintptr_t", ffi.addressof(_xcffib.lib, "xcb_wait_for_event")))
    others = [
        ctypes.cast(getattr(machine, name), ctypes.c_void_p).value for name in _OF_THE_MACHINE
    ]
    return (ctypes.c_void_p * (1 + len(others)))(wait, *others)
