"""The session script: text → tokens → statements → checks → schedule."""

from yardstick_core.script.grammar import at_every_level, parse
from yardstick_core.script.layout import formatted
from yardstick_core.script.model import Script, ScriptError, ScriptProblem
from yardstick_core.script.outline import Outline, outline, unequal_work
from yardstick_core.script.schedule import Schedule, schedule

__all__ = [
    "Outline",
    "Schedule",
    "Script",
    "ScriptError",
    "ScriptProblem",
    "at_every_level",
    "formatted",
    "outline",
    "parse",
    "schedule",
    "unequal_work",
]
