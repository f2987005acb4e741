"""Bytes the subject sends and receives, by what the kernel tells of each TCP connection.

Interface: sock_diag(7) with INET_DIAG_INFO (struct tcp_info: bytes acked, bytes received).
Connections are found by the sockets a process holds open: one that comes and goes between two
looks is not seen, nor is anything but TCP.
"""

from __future__ import annotations

import contextlib
import os
import socket
import struct
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Self

from yardstick_agent.sampling.sources.source import Roots, Sampled

_SOCK_DIAG, _BY_FAMILY = 4, 20
_REQUEST, _DUMP = 0x1, 0x300
_INFO = 2
_ERROR, _DONE = 2, 3
_HEADER = struct.Struct("=IHHII")
_ASK = struct.Struct("=BBBxI48x")
#: States in which bytes may have passed: all but those that listen or wait for their end.
_CONNECTED = 0xFFF & ~(1 << 10) & ~(1 << 6)
#: Where a process holds no TCP socket, it is looked only every so many samples whether one came.
SAMPLES_PER_SEARCH = 20
#: Where in a message the number of the socket stands, and where its attributes begin.
_INODE_AT, _ATTRIBUTES_AT = 68, 72
#: Where struct tcp_info tells bytes acknowledged and received.
_BYTES_AT, _BYTES = 120, struct.Struct("=QQ")
_MOST_BYTES = 1 << 16


class Network:
    """Bytes so far over all connections of the subject; those of closed ones stay counted."""

    name = "network by process"
    beats = 10
    sums = True

    def __init__(self, proc: Path) -> None:
        self.proc = proc
        self._bytes: dict[int, tuple[int, int]] = {}
        self._held: set[int] = set()
        self._until_search = 0

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        if roots.simulated:
            return None
        try:
            connections()
        except OSError:
            return None
        return cls(roots.proc)

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        held = set(self._sockets(subject))
        self._until_search -= 1
        if held & self._bytes.keys() or held - self._held or self._until_search <= 0:
            self._until_search = SAMPLES_PER_SEARCH
            with contextlib.suppress(OSError):
                self._bytes |= {
                    inode: amounts for inode, amounts in connections().items() if inode in held
                }
        self._held = held
        sent = sum(amounts[0] for amounts in self._bytes.values())
        received = sum(amounts[1] for amounts in self._bytes.values())
        return [
            ("subject.bytes_sent", float(sent)),
            ("subject.bytes_received", float(received)),
        ]

    def _sockets(self, subject: list[int]) -> Iterator[int]:
        for pid in subject:
            place = f"{self.proc}/{pid}/fd"
            try:
                descriptors = os.listdir(place)
            except OSError:
                continue
            for name in descriptors:
                try:
                    target = os.readlink(f"{place}/{name}")
                except OSError:
                    continue
                if target.startswith("socket:["):
                    yield int(target[8:-1])


def connections() -> dict[int, tuple[int, int]]:
    """By number of its socket, bytes that each TCP connection has sent and received.

    Raises OSError where the kernel does not tell.
    """
    found: dict[int, tuple[int, int]] = {}
    with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, _SOCK_DIAG) as asking:
        asking.settimeout(1)
        for family in (socket.AF_INET, socket.AF_INET6):
            body = _ASK.pack(family, socket.IPPROTO_TCP, 1 << (_INFO - 1), _CONNECTED)
            length = _HEADER.size + len(body)
            asking.send(_HEADER.pack(length, _BY_FAMILY, _REQUEST | _DUMP, 1, 0) + body)
            while _read(asking.recv(_MOST_BYTES), found):
                pass
    return found


def _read(data: bytes, found: dict[int, tuple[int, int]]) -> bool:
    """Take the connections out of what came; whether more is to come."""
    place = 0
    while place + _HEADER.size <= len(data):
        length, kind, *_ = _HEADER.unpack_from(data, place)
        if kind == _DONE:
            return False
        if kind == _ERROR or length < _HEADER.size:
            raise OSError("the kernel does not tell of its connections")
        start = place + _HEADER.size
        (inode,) = struct.unpack_from("=I", data, start + _INODE_AT)
        amounts = _amounts(data[start + _ATTRIBUTES_AT : place + length])
        if inode and amounts:
            found[inode] = amounts
        place += (length + 3) & ~3
    return True


def _amounts(attributes: bytes) -> tuple[int, int] | None:
    place = 0
    while place + 4 <= len(attributes):
        length, kind = struct.unpack_from("=HH", attributes, place)
        if length < 4:
            return None
        if kind == _INFO and length >= 4 + _BYTES_AT + _BYTES.size:
            sent, received = _BYTES.unpack_from(attributes, place + 4 + _BYTES_AT)
            return sent, received
        place += (length + 3) & ~3
    return None
