"""From the sample to the job, by hand."""

import math

import pytest
from scipy import special

from yardstick_core.compare.job import (
    ItemDifference,
    Kind,
    NotMeasured,
    in_words,
    project,
    share_that_matters,
)
from yardstick_core.readings import METRICS

DURATION = METRICS["duration"]
SMALL = Kind("small drafts", 40, (ItemDifference(1.0, -0.25, 0.02, 7),))
WIDE = Kind("wide drafts", 4, (ItemDifference(5.0, -2.0, 0.1, 7),))


def test_a_day_by_hand():
    """40 × −0.25 s and 4 × −2 s; standard errors 0.8 and 0.4 s, together √0.8."""
    found = project([SMALL, WIDE], whole=8 * 3600)
    assert found.change == pytest.approx(-18)
    assert found.before == pytest.approx(60)
    df = 0.8**2 / (0.64**2 / 7 + 0.16**2 / 7)
    reach = special.stdtrit(df, 0.975) * math.sqrt(0.8)
    assert found.low == pytest.approx(-18 - reach)
    assert found.high == pytest.approx(-18 + reach)
    assert found.share == pytest.approx(-18 / 28800)
    assert found.sure
    assert found.assumptions[0] == "40 of “small drafts”, each like the one measured"
    said = in_words(DURATION, found, "a day", "4.2").replace("\u00a0", " ")
    assert said.startswith("With 4.2, a day: 18.0 s less (16.0 s to 20.0 s)")
    assert said.endswith(", 0.062 % of all of it.")


def test_only_a_share_is_affected():
    half = Kind("small drafts", 40, SMALL.measured, affected=0.5)
    assert project([half]).change == pytest.approx(-5)
    assert project([half]).before == pytest.approx(40)
    assert any("of the rest" in one for one in project([half]).assumptions)


def test_items_that_differ_among_themselves_widen_the_range():
    """Two of ten: the spread between them counts, less what is left to be sampled."""
    two = Kind("runners", 10, (
        ItemDifference(1.0, -0.2, 0.01, 7), ItemDifference(1.0, -0.6, 0.01, 7),
    ))  # fmt: skip
    found = project([two])
    variance = 10**2 * (2 * 0.01**2 / 4 + (1 - 2 / 10) * 0.08 / 2)
    reach = special.stdtrit(1, 0.975) * math.sqrt(variance)
    assert found.change == pytest.approx(-4)
    assert found.high - found.change == pytest.approx(reach)
    assert not found.sure
    assert "not known which way" in in_words(DURATION, found, "a day", "4.2")
    all_of_them = Kind("runners", 2, two.measured)
    assert project([all_of_them]).high < 0


def test_what_was_not_measured_is_refused():
    with pytest.raises(NotMeasured, match="carpets was not measured"):
        project([SMALL, Kind("carpets", 3, ())])
    assert project([SMALL, Kind("carpets", 0, ())]).change == pytest.approx(-10)
    with pytest.raises(ValueError, match="no items"):
        project([])


def test_the_share_from_which_on_it_matters():
    assert share_that_matters([SMALL, WIDE], 9) == pytest.approx(0.5)
    assert share_that_matters([SMALL], 60) is None
    assert share_that_matters([], 60) is None
