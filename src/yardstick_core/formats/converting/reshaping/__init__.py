"""Texts and tables that are laid out in another way than their rows are read."""
