"""One metric at a time, for tests of what the core works out for many together."""

import numpy as np

from yardstick_core.compare import intervals, screening
from yardstick_core.compare.estimate import Sample


def noisy(level, n, seed, share=0.02):
    return level * np.exp(np.random.default_rng(seed).normal(0, share, n))


def samples(values, longer=()):
    return [
        Sample(run=n, round=n, value=float(v), right_censored=n in longer)
        for n, v in enumerate(values)
    ]


def welch(a, b):
    return intervals.welch(a[None], b[None]).each()[0]


def paired(differences):
    return intervals.paired(differences[None]).each()[0]


def hodges_lehmann(a, b):
    return intervals.hodges_lehmann(a[None], b[None]).each()[0]


def median(values):
    return float(screening.medians(values[None])[0])


def warm_up_length(values):
    return int(screening.warm_up_lengths(np.array(values)[None])[0])


def screened(values):
    return screening.screened(np.array(values)[None])[0]


def trend_z(values):
    return float(screening.trend_z(np.array(values)[None])[0])
