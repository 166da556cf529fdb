"""What is loaded in the process from which those that read files are forked: the readers, and the kernels that they use."""

import brickseat_core.formats.height_image
import brickseat_core.formats.shape_file  # noqa: F401
from brickseat_core.formats.gltf_build import Paint, Surface, prop_document
from brickseat_core.formats.making import look_at
from brickseat_core.meshes.cube import cube

look_at(prop_document("cube", [Surface(Paint("cube", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)]).to_glb(), "glb")
