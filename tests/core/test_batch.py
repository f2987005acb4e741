"""Chunks travel together and come out as they went in; what is torn is refused whole."""

import hashlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yardstick_core.streams.batch import MOST_CHUNKS, Piece, pack, unpack
from yardstick_core.streams.chunk import ChunkError

names = st.from_regex(r"[a-z][a-z0-9_.]{0,30}", fullmatch=True)


def piece(stream: str, sequence: int, data: bytes) -> Piece:
    return Piece(stream, sequence, hashlib.sha256(data).hexdigest(), data)


pieces = st.lists(st.builds(piece, names, st.integers(0, 2**32 - 1), st.binary(max_size=60)))


@given(pieces)
def test_what_goes_in_comes_out(sent):
    assert unpack(pack(sent)) == sent


@given(pieces.filter(bool), st.data())
def test_a_torn_message_is_refused_or_is_a_shorter_whole_one(sent, data):
    whole = pack(sent)
    cut = data.draw(st.integers(0, len(whole) - 1))
    try:
        found = unpack(whole[:cut])
    except ChunkError:
        return
    assert found == sent[: len(found)]
    assert len(pack(found)) == cut


@given(st.binary(max_size=80))
def test_noise_is_refused_and_nothing_else_happens(noise):
    try:
        assert pack(unpack(noise)) == noise
    except ChunkError:
        pass


def test_a_message_holds_only_so_many():
    with pytest.raises(ChunkError, match="at most"):
        unpack(pack([piece("frames", n, b"") for n in range(MOST_CHUNKS + 1)]))
