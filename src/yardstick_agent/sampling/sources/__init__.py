"""What a machine says of itself beyond processor and memory: one source a file, found at start."""

from collections.abc import Sequence

from yardstick_agent.sampling.sources.energy import BatteryEnergy, ProcessorEnergy
from yardstick_agent.sampling.sources.graphics_device import GraphicsDevice
from yardstick_agent.sampling.sources.graphics_library import GraphicsLibrary
from yardstick_agent.sampling.sources.graphics_use import GraphicsUse
from yardstick_agent.sampling.sources.heat import Clocks, Heat, Throttling
from yardstick_agent.sampling.sources.network import Network
from yardstick_agent.sampling.sources.source import Roots, Source

__all__ = ["Roots", "Source", "found_sources", "sensors_in_words"]

_KINDS: tuple[type[Source], ...] = (
    ProcessorEnergy, BatteryEnergy, Heat, Clocks, Throttling, GraphicsUse, GraphicsDevice,
    GraphicsLibrary, Network,
)  # fmt: skip


def found_sources(roots: Roots) -> list[Source]:
    """The sources this machine has; what it lacks, or does not let us read, is not among them."""
    found = (kind.found(roots) for kind in _KINDS)
    return [source for source in found if source is not None]


def sensors_in_words(sources: Sequence[Source], roots: Roots) -> str:
    """What the machine tells of itself, as a fact of its runs."""
    names = ", ".join(source.name for source in sources) or "processor, memory and disk only"
    return f"simulated: {names}" if roots.simulated else names
