"""The job itself: meshes, exact contact, placing, fit and formats.

No interface code may come in here: no web framework, no HTTP, no database.
"""
