"""One error for every file that cannot be used."""


class FileError(ValueError):
    """A file that cannot be read or written: one line saying what, where in the file, and what to do."""
