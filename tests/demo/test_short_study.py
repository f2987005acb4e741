"""The study for the terminal: its rule of text, its progress, its table."""

import pytest

import short_study
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.readings import Reading
from yardstick_core.script import outline, parse


def test_the_rule_has_the_baseline_in_the_middle_and_better_to_the_right():
    line = short_study.rule(0.4, 0.5, 0.6)
    assert len(line) == short_study.WIDTH
    middle = short_study.WIDTH // 2
    assert line[middle] == "┃"
    assert line.index("◆") > middle
    assert short_study.rule(-0.6, -0.5, -0.4).index("◆") < middle


def test_what_lies_beyond_the_rule_stands_at_its_end():
    assert short_study.rule(2, 9, float("inf")).endswith("◆")
    assert short_study.rule(float("-inf"), -9, -2).startswith("◆")


def test_no_interval_leaves_the_rule_empty():
    nothing = float("nan")
    assert short_study.rule(nothing, nothing, nothing).strip() == ""


def test_progress_says_what_is_done_what_runs_and_what_is_left(capsys, monkeypatch):
    monkeypatch.setattr(short_study.time, "monotonic", lambda: 130.0)
    short_study.progress(0, 10, "4.1", 0, 100.0)
    short_study.progress(6, 10, "4.2", 3, 100.0)
    out = capsys.readouterr().out
    assert "cold round, 4.1" in out
    assert " 6 of 10 · round 3, 4.2" in out
    assert "about 20 s left" in out


def test_the_table_names_every_metric_with_its_verdict(capsys):
    def run(variant, number, value):
        reading = Reading(("Open", "open"), "duration", value)
        return JudgedRun(2 * number + variant, variant, number, False, "finished", (reading,))

    runs = [run(v, n, (2.0, 1.2)[v] + 0.01 * n) for n in range(5) for v in (0, 1)]
    short_study.print_table(judge(runs, short_study.RELEASES))
    out = capsys.readouterr().out
    assert "\nTimes\n" in out
    assert "\n  open " in out
    assert "ahead" in out
    assert "less time" in out


@pytest.mark.parametrize("name", ["short.session", "wide-draft.session", "small-draft.session"])
def test_the_demonstrations_scripts_are_good(name):
    plan = outline(parse((short_study.HERE / name).read_text(encoding="utf-8")))
    assert plan.steps[0] == "Launch"
    assert any(stretch.kind == "frames" for stretch in plan.stretches)
    assert plan.operations > 100
