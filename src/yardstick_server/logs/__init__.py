"""Logs of other instruments: taken in, looked at, read through, kept as runs."""
