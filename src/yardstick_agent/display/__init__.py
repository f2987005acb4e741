"""X11: the display, its windows and pictures, and input sent to it."""
