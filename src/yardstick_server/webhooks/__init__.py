"""Tells other programs that something ended: signed, tried again, to addresses owners named."""
