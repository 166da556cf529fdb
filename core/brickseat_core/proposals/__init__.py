"""Generators of candidates: where pieces might lie. What lies is decided by admission."""
