"""Made-up studies for tests of the judging: readings given, runs made of them in rounds."""

from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.readings import Reading

OPEN, SCROLL, WHOLE = ("Open", "open"), ("Scroll", "scroll"), ("Whole session",)


def runs_of(sides, **about):
    """Runs from readings: one dict a variant of (stretch, metric) → values by round."""
    runs = []
    rounds = max(len(values) for side in sides for values in side.values())
    for number in range(rounds):
        for variant, side in enumerate(sides):
            readings = tuple(
                Reading(stretch, metric, float(values[number]))
                for (stretch, metric), values in side.items()
                if number < len(values) and values[number] is not None
            )
            if readings:
                run = number * len(sides) + variant
                runs.append(JudgedRun(run, variant, number, False, "finished", readings, **about))
    return runs


def names(count):
    return ["4.1", "4.2", "5.0", "5.1"][:count]


def judged(sides, **options):
    return judge(runs_of(sides), names(len(sides)), **options)
