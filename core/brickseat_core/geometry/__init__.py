"""Triangle meshes and what is computed of one alone: trees, rays, nearest points, edges, faces, resting sides, mass.

No set and no contact may come in here.
"""
