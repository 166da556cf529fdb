"""What is loaded in the process from which those that read files are forked: the readers."""

import brickseat_core.formats.height_image
import brickseat_core.formats.making
import brickseat_core.formats.shape_file  # noqa: F401
