"""Gravity as a dresser's tool: what a prop is to the rigid-body engine, and what the engine makes of a set.

Only this room knows the engine. Files, the web and the command line may not come in here.
"""
