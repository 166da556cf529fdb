"""The same for a server, which reads many: with the kernels in memory that looking at a prop takes."""

from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.formats.making import look_at
from brickseat_core.geometry.cube import cube

look_at(prop_document("cube", [Surface(Paint("cube", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)]).to_glb(), "glb")
