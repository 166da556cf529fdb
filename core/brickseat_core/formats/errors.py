"""One error for every file that cannot be used; and where it is the place that is to blame, one kind of it."""


class FileError(ValueError):
    """A file that cannot be read or written: one line saying what, where in the file, and what to do."""


class NotWritten(FileError):
    """A file that cannot be written where it belongs: no room, no folder, or no right to."""
