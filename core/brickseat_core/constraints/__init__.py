"""Lasting relations: joins, lining up, ties and cut-outs.

No recipes, no files and no web may come in here.
"""
