"""Models made here: how props of clay, wood and wicker are modelled, and those of Hollow Hill Pottery.

Nothing of the database, of sets or of the web may come in here.
"""
