"""Where a prop goes: surface frames, the live set-down under the pointer, and the moves that change a set.

Files, the web and the command line may not come in here.
"""
