"""The live session of a set: its scene and index in memory, answering in milliseconds.

The database stays the truth; a session can be dropped and rebuilt at any time.
"""
