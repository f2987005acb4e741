"""Counters read from the machine while a session plays."""
