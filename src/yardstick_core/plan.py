"""The order in which variants take turns, so that no place in the round favours one."""

from __future__ import annotations


def round_order(variants: int, number: int) -> list[int]:
    """Indices of the variants in the order they run in round `number`.

    Balanced after Williams 1949: over a full cycle every variant stands in every place and follows
    every other equally often; two variants simply alternate.
    """
    base = [0]
    for step in range(1, variants):
        base.append((base[-1] + (step if step % 2 else -step)) % variants)
    turn = number % (variants if variants % 2 == 0 else 2 * variants)
    row = [(index + turn) % variants for index in base]
    return row[::-1] if turn >= variants else row
