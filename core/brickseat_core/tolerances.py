"""Every tolerance of the computation, once, with its reason. All lengths in metres."""

CONTACT_EPSILON = 1e-6
"""Surfaces nearer or deeper than this are touching. One micrometre is far below anything a
set can show and far above float64 rounding at the size of a building."""

FLUSH_WIDTH = 1e-7
"""Projected overlaps narrower than this do not block travel, so that flush neighbours (tiles side
by side) slide past each other instead of hanging on rounding errors."""

MIN_FREE_INTERVAL = 4 * CONTACT_EPSILON
"""A free stretch of travel shorter than this is no place to be: too short to tell whether the piece is free
there or buried with a face flush."""

SHRINK = 1e-5
"""Share by which a piece is shrunk to part it from another whose faces lie in the very same planes (two
copies of one tile): where all faces are flush, no two of them cut, and the overlap shows only so."""

LEAST_SHRINK = 8 * FLUSH_WIDTH
"""Metres it is shrunk by at least: on each side it then stands back by more than what counts as flush."""

GRAZE_DEPTH = 1e-4
"""A sideways overlap up to this depth is a graze: files keep 32-bit coordinates and people nudge
by eye. A grazed neighbour must not send a piece up onto its top."""

SEATED_TOLERANCE = 5e-4
"""Default tolerance of a set: half a millimetre is what a close camera can see."""

CONTACT_BAND_SHARE = 0.2
"""Contacts that carry: those nearer than this share of the set's tolerance count to the support."""

BALANCE_TOLERANCE = 1e-6
"""A centre of mass this little outside its support still balances (a ball on its one point)."""

LIFT_OFF = 1e-5
"""A piece is raised this far before it is pushed aside, so that it does not scrape along its bearer."""
