"""With what a command of the command line ends."""

DONE, FAULTS, BAD, INTERRUPTED = 0, 1, 2, 130
"""Done; done, and the fit check found faults; bad usage or bad input; interrupted."""
