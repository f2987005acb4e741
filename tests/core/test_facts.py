"""Facts and their forms: each metric is counted once, or echoes one that is."""

from hypothesis import given, settings
from hypothesis import strategies as st

from core.studies import SCROLL, WHOLE, judged
from yardstick_core.compare.materiality import APART, LEAD, MaterialityRule, MaterialityRules
from yardstick_core.compare.rows import facts_by_family
from yardstick_core.readings import METRICS
from yardstick_core.readings.families import FAMILIES, FAMILY_NAMES, facts, family_of, lead_of

JUDGED = sorted(key for key, metric in METRICS.items() if metric.judged)
PLACES = [(key, stretch) for key in JUDGED for stretch in (SCROLL, WHOLE)]
places = st.sets(st.sampled_from(PLACES), min_size=1, max_size=25)


@st.composite
def studies(draw):
    """Metrics that were read, what a person says about some of them, and what decides."""
    there = sorted(draw(places))
    said = draw(
        st.lists(
            st.builds(
                lambda of, role, counts: MaterialityRule(*of, family_role=role, counts=counts),
                st.sampled_from(there), st.sampled_from(["", LEAD, APART]), st.booleans(),
            ),
            max_size=6,
        )
    )  # fmt: skip
    return there, said, draw(st.lists(st.sampled_from(there), max_size=2))


@settings(max_examples=150)
@given(studies())
def test_each_row_is_counted_or_echoes_one_that_is(study):
    there, said, deciding = study
    side = {(stretch, key): [4.0, 5.0] for key, stretch in there}
    rows = judged([side, side], terms=MaterialityRules(said), deciding=deciding).rows
    counted = {(row.metric.key, row.stretch) for row in rows if row.counted}
    for row in rows:
        if row.metric.judged and not row.counted:
            assert (row.echo_of, row.stretch) in counted
        assert not (row.deciding and row.echo_of)
    shown = [
        row
        for group in facts_by_family(rows).values()
        for lead, echoes in group
        for row in (lead, *echoes)
    ]
    assert len(shown) == len(rows)
    assert {id(row) for row in shown} == {id(row) for row in rows}


def test_every_metric_has_a_family_and_a_lead_of_the_same_family():
    for key in METRICS:
        lead = lead_of(key)
        assert family_of(key) in FAMILIES
        assert not lead or (family_of(lead) == family_of(key) and not lead_of(lead))
    assert set(FAMILY_NAMES) == set(FAMILIES)


def test_a_form_whose_lead_was_not_read_stands_by_itself():
    frames = [("p99_frame", SCROLL), ("p99_rate", SCROLL), ("one_percent_low", WHOLE)]
    assert facts(frames, [lead_of(key) for key, _ in frames]) == [(0, []), (1, []), (2, [])]
    there = [*frames, ("one_percent_low", SCROLL)]
    assert facts(there, [lead_of(key) for key, _ in there]) == [(2, []), (3, [0, 1])]
