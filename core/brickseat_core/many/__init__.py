"""Laying many: recipes, where their points lie, what is laid on each, and how it comes to sit there exactly.

No moves, no file formats and no interface may come in here.
"""
