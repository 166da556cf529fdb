"""Exact contact on true triangles: drop, retreat, clash, inside, rays, balance, and the scene's index.

Pieces and meshes come in; no rules of placing, fit or files may.
"""
