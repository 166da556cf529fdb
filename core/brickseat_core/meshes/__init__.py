"""Triangle meshes: welding, measuring, mass, and the tree that finds their triangles.

Nothing of pieces, sets or files may come in here.
"""
