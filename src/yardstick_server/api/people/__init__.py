"""Signing in, members, tokens, links."""
