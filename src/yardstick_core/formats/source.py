"""Opens a log file: unpacks it, tells its encoding, and hands out whole lines in bounded memory."""

from __future__ import annotations

import codecs
import gzip
import io
import re
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import zstandard

from yardstick_core.formats.guessing.naming import role_of

#: What fits a processor's own memory is parsed quicker than what does not.
BLOCK_BYTES = 2 * 2**20
LONGEST_LINE = 2**20
MOST_UNPACKED = 32 * 2**30
#: Packed text of measurements shrinks by 3 to 20; beyond this a file is made to fill a disk.
MOST_RATIO = 400
_RATIO_FROM = 64 * 2**20
_UTF_8 = ("utf-8", "utf-8-sig")
_GZIP, _ZSTD, _PARQUET = b"\x1f\x8b", b"\x28\xb5\x2f\xfd", b"PAR1"
#: Files that are something else altogether, by how they begin.
_KNOWN = {
    b"PK\x03\x04": "a ZIP archive: unpack it first",
    b"7z\xbc\xaf": "a 7z archive: unpack it first",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"%PDF": "a PDF document",
    b"\x7fELF": "a program",
    b"MZ": "a program",
}


class NotALog(ValueError):
    """The file cannot be read as a log; the message says why."""


@dataclass(frozen=True, slots=True)
class Source:
    """A file and what it is: `packed` is "", "gzip" or "zstd"; `kind` "text" or "parquet"."""

    path: Path
    packed: str
    kind: str
    encoding: str


class _Bounded(io.RawIOBase):
    """An unpacked stream that refuses to unpack to far more than its file."""

    def __init__(self, stream: IO[bytes], packed_bytes: int) -> None:
        self._stream, self._packed, self._given = stream, max(1, packed_bytes), 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: memoryview) -> int:  # type: ignore[override]
        try:
            data = self._stream.read(len(buffer))
        except (zlib.error, zstandard.ZstdError, EOFError, OSError) as error:
            raise NotALog(f"the packed file is damaged: {error}") from error
        self._given += len(data)
        ratio = self._given / self._packed
        if self._given > MOST_UNPACKED or (self._given > _RATIO_FROM and ratio > MOST_RATIO):
            raise NotALog(
                f"it unpacks to more than {MOST_RATIO} times its size: no log does, so it was "
                "not unpacked further"
            )
        buffer[: len(data)] = data
        return len(data)


def look_at(path: Path) -> Source:
    """What kind of file it is. Raises NotALog for one that is no log."""
    with path.open("rb") as file:
        head = file.read(8)
    if not head:
        raise NotALog("the file is empty")
    packed = "gzip" if head.startswith(_GZIP) else "zstd" if head.startswith(_ZSTD) else ""
    if head.startswith(_PARQUET):
        return Source(path, "", "parquet", "")
    for magic, what in _KNOWN.items():
        if head.startswith(magic):
            raise NotALog(f"this is {what}, not a log")
    with _unpacked(path, packed) as stream:
        start = stream.read(65_536)
    if start.startswith(_PARQUET):
        raise NotALog("a Parquet file inside a packed file: unpack it first")
    return Source(path, packed, "text", encoding_of(start))


def encoding_of(start: bytes) -> str:
    """How text is written that begins so. Raises NotALog for what is no text."""
    if start.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if b"\0" in start:
        raise NotALog("it holds zero bytes: a binary file, not a text log")
    controls = sum(byte < 9 or 13 < byte < 32 for byte in start)
    if controls > len(start) // 50:
        raise NotALog("it holds control characters: a binary file, not a text log")
    whole = start[: start.rfind(b"\n") + 1 or None]
    try:
        whole.decode("utf-8")
    except UnicodeDecodeError:
        return max(OLDER_ENCODINGS, key=lambda encoding: _known_words(whole[:_NAMING], encoding))
    return "utf-8-sig" if start.startswith(b"\xef\xbb\xbf") else "utf-8"


#: What text is written in that is not Unicode, the likelier first; and what people call it.
OLDER_ENCODINGS = {
    "cp1252": "Windows-1252", "cp932": "Shift JIS", "gb18030": "GB 18030", "euc_kr": "EUC-KR",
    "big5": "Big5", "euc_jp": "EUC-JP", "cp1251": "Windows-1251", "cp1250": "Windows-1250",
    "koi8_r": "KOI8-R", "cp1254": "Windows-1254",
}  # fmt: skip
#: Names of columns stand at the beginning, if anywhere.
_NAMING = 4096


def _known_words(start: bytes, encoding: str) -> int:
    """How many names of columns are known in a text that is read so; -1 where it cannot be."""
    try:
        text = start.decode(encoding)
    except UnicodeDecodeError as error:
        if error.start < len(start) - 4:
            return -1
        text = start[: error.start].decode(encoding)
    foreign = (cell for cell in re.split(r"[,;|\t\n\r]|  +", text) if not cell.isascii())
    return sum(bool(role_of(cell)) for cell in foreign)


def _unpacked(path: Path, packed: str) -> IO[bytes]:
    file = path.open("rb")
    stream: Any = file
    if packed == "gzip":
        stream = gzip.GzipFile(fileobj=file)
    elif packed == "zstd":
        stream = zstandard.ZstdDecompressor().stream_reader(file, read_across_frames=True)
    else:
        return file
    return io.BufferedReader(_Bounded(stream, path.stat().st_size), 2**20)


def head_of(source: Source, most_bytes: int = 256 * 1024) -> str:
    """The first whole lines of a text file. Raises NotALog for an endless line."""
    with _unpacked(source.path, source.packed) as stream:
        data = stream.read(most_bytes)
        more = bool(stream.read(1))
    text = data.decode(source.encoding, "replace")
    if not more:
        return text
    whole = text[: text.rfind("\n") + 1]
    if not whole:
        raise NotALog(f"its first line has no end within {most_bytes // 1024} KiB")
    return whole


def blocks(source: Source, block_bytes: int = BLOCK_BYTES) -> Iterator[memoryview]:
    """The text in blocks of whole lines, as UTF-8, each of about so many bytes.

    Raises NotALog where a line is longer than a MiB, or the packed file is damaged or unpacks to
    far more than its size.
    """
    with _unpacked(source.path, source.packed) as stream:
        more = _bytes_of(stream) if source.encoding in _UTF_8 else _text_of(stream, source.encoding)
        rest = b""
        while len(data := more(rest, block_bytes)) > len(rest):
            end = data.rfind(b"\n") + 1
            rest = bytes(memoryview(data)[end:])
            if end:
                yield memoryview(data)[:end]
            elif len(rest) > LONGEST_LINE:
                raise NotALog("a line is longer than a MiB: this is no log of rows")
        if rest:
            yield memoryview(rest + b"\n")


#: Gives what is left of one block with so many bytes (or characters) more behind it.
_More = Callable[[bytes, int], bytes | bytearray]


def _bytes_of(stream: IO[bytes]) -> _More:
    begun = False

    def more(rest: bytes, count: int) -> bytearray:
        nonlocal begun
        data = bytearray(len(rest) + count)
        data[: len(rest)] = rest
        with memoryview(data) as whole, whole[len(rest) :] as room:
            given: int = stream.readinto(room)  # type: ignore[attr-defined]
        del data[len(rest) + given :]
        if not begun and data.startswith(codecs.BOM_UTF8):
            del data[: len(codecs.BOM_UTF8)]
        begun = True
        return data

    return more


def _text_of(stream: IO[bytes], encoding: str) -> _More:
    text = io.TextIOWrapper(stream, encoding, errors="replace", newline="")
    return lambda rest, count: rest + text.read(count).encode()
