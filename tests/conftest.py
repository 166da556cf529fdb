"""For all tests: no deadlines. Kernels are read from disk when first called, and machines are slow now and then."""

from hypothesis import settings

settings.register_profile("unhurried", deadline=None)
settings.load_profile("unhurried")
