"""What can be wrong with a display."""


class DisplayError(RuntimeError):
    """The display could not be started or reached."""
