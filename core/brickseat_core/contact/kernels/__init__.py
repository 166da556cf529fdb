"""Kernels of contact: Numba, and nothing else in them. They know arrays, not pieces."""
