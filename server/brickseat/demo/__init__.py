"""Hollow Hill Pottery: the demo's props, sets and dresser, made by code.

A folder that can be deleted: nothing outside it depends on it but the demo command.
"""
