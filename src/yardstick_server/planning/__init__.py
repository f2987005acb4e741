"""Carrying plans out: what comes next, and the jobs of the worker."""
