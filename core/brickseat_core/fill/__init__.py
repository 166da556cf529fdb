"""Filling: bays, what stands in them cell by cell, where a piece may go, and how it comes to sit there exactly.

A coarse grid proposes, exact travel places, the fit check decides. No moves, no file formats and no interface may come in here.
"""
