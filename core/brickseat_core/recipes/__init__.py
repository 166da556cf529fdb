"""What scatter, fill and row share: what a recipe says, what it names on a set, its chances, its volumes, and its record.

Nobody who lays one may come in here.
"""
