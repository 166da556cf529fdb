"""The rigid-body world of a set: the one place where pieces become bodies of the engine, and everything is checked
before it gets there.

Loose pieces are bodies with their contact shapes, all others are fixed as the triangles they truly have. The engine
reckons in single precision, so the world is laid round the loose pieces; every body starts untilted, its pose as
drawn being baked into its shape, so that scaled, mirrored and sheared pieces need no special care.
"""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import rapier3d

from brickseat_core.contact.index import world_box
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.materials import MATERIALS, USUAL_MATERIAL, Material, mass_of
from brickseat_core.gravity.shapes import SKIN, ContactShape
from brickseat_core.scene import Piece, Pose, Vec, quaternion_of, rotation_matrix

GRAVITY = 9.81
LENGTH_UNIT = 0.1
"""Metres that the engine takes for one: tens of centimetres is what props are."""
ALLOWED_ERROR = 1e-4
SPEED_CAP = 2.0
"""Metres a second: what falls no faster than this does not pass through a shelf of 18 mm, nor do thin walls get to the
wrong side of what they fall on."""
WEIGHT_POWER = 0.5
"""The solver reckons with this power of the true masses, size to the 1.5 for one material: small things under large
ones settle."""
LOOK_DT = 1e-6
THIN, SLOWED = 0.035, 0.25
"""Half thickness (m) below which a piece may go through something in one step, and the share of its speed that is left to
one that did."""
ONLY_FIXED = rapier3d.QueryFilter.only_fixed()
LEAST_EXTENT, LEAST_MASS = 1e-3, 1e-4
MOST_EXTENT = 500.0
MOST_BODIES = 4000
HEADER_BYTES = 8
"""Of a pose as the engine writes it: then four numbers of the quaternion (x, y, z, w) and three of the position."""


class NotForGravity(ValueError):
    """A piece that the engine cannot take; says which and why."""


@dataclass(frozen=True)
class PhysicalProperties:
    """What a prop is of, for gravity: friction and restitution. ``mass`` in kg, None for what its volume weighs.
    ``fall`` in metres, None for what the material bears."""

    material: Material = MATERIALS[USUAL_MATERIAL]
    grip: float | None = None
    bounce: float | None = None
    mass: float | None = None
    fall: float | None = None

    @property
    def bears(self) -> float:
        """Metres that it falls onto something hard without breaking."""
        return self.material.fall if self.fall is None else self.fall

    @property
    def strength(self) -> float:
        """Metres a second by which it may be stopped at once without breaking."""
        return math.sqrt(2.0 * GRAVITY * self.bears)

    @property
    def friction(self) -> float:
        """Coulomb friction: the piece's own, or its material's."""
        return self.material.grip if self.grip is None else self.grip

    @property
    def restitution(self) -> float:
        """Bounce from 0 to 1: the piece's own, or its material's."""
        return self.material.bounce if self.bounce is None else self.bounce


@dataclass(frozen=True)
class Settings:
    """``iterations`` and ``softness`` (Hz) of the contact solver; ``dt`` seconds; ``cap`` metres a second;
    ``gravity`` m/s²; ``damping``: linear and angular, 1/s. ``ahead``: metres along its way within which what a body is
    about to meet stops it in time, more than it goes in a step. ``parting``: metres a second at which what is inside each
    other is brought apart, at most."""

    dt: float = 1.0 / 60.0
    iterations: int = 8
    softness: float = 120.0
    cap: float = SPEED_CAP
    gravity: float = GRAVITY
    damping: tuple[float, float] = (0.05, 0.3)
    recycle: bool = True
    ahead: float = 0.04
    parting: float = 1.0


SETTLE = Settings()
STRIKE = Settings(dt=1.0 / 120.0, iterations=4, ahead=0.0, parting=0.3)
"""Contacts looked for twice as often, for the same solver steps, and none foreseen: a blow is over within a few of them."""
EASE = Settings(gravity=0.0, damping=(20.0, 20.0), cap=0.5, parting=0.3)
RELAX = Settings(1.0 / 60.0, 32, 480.0, 0.3, 2.0, (1.0, 1.0), recycle=False, parting=0.3)


def own_mesh(piece: Piece) -> Mesh:
    """The mesh of a piece's prop."""
    return piece.prop.mesh


class World:
    """The loose pieces of a set as bodies, in the order of ``keys``; ``origin`` is where the engine's zero lies.

    Bodies may come and go while it runs. What has gone keeps its number, and the pose that it had last.
    """

    def __init__(
        self,
        loose: Iterable[Piece],
        fixed: Iterable[Piece],
        shapes: Mapping[str, ContactShape],
        properties: Mapping[str, PhysicalProperties],
        settings: Settings = SETTLE,
        two_sided: frozenset[str] = frozenset(),
        region: tuple[Vec, Vec] | None = None,
        made: "EngineShapes | None" = None,
        lying: Iterable[Piece] = (),
        mesh_of: Callable[[Piece], Mesh] = own_mesh,
        threads: int = 1,
        look: Callable[[], None] = lambda: None,
    ) -> None:
        """``shapes``, ``properties``: by prop key. ``two_sided``: keys of fixed pieces whose faces may look either way.
        ``region``: a box that no loose piece leaves: what is fixed outside it is left out. ``made``: the engine's shapes,
        when other worlds share them. ``lying``: pieces that are fixed besides, as the contact shapes that they fell with: bodies meet those in far less time.
        ``threads``: how many look for contacts; the outcome is the same, bit for bit.

        ``look``: called before each piece is added or gets another shape; what it raises is raised.

        Raises NotForGravity, with the piece named, before anything reaches the engine.
        """
        loose, fixed = list(loose), list(fixed)
        self._mesh_of = mesh_of
        self._look = look
        self.pieces: list[Piece] = []
        self.keys: list[str] = []
        self.shapes, self.properties = shapes, properties
        self._made = made or EngineShapes()
        # What is poured comes later, amid what stands there.
        origins = np.array([p.pose.origin for p in loose or fixed]).reshape(-1, 3)
        self.origin: Vec = origins.mean(axis=0) if len(origins) else np.zeros(3)
        self.world = rapier3d.PhysicsWorld((0.0, -settings.gravity, 0.0))
        self.world.set_num_threads(threads)
        self._set(settings)
        self._handles: list[Any] = []
        self._bodies: list[Any] = []
        self._worn: list[tuple[Any, Stretch]] = []
        self._gone: dict[int, Vec] = {}
        self._thin: dict[int, float] = {}
        self._colliders: dict[Any, str] = {}
        chosen = {p.key for p in loose}
        for piece in fixed:
            self._look()
            if piece.key not in chosen:
                self.add_bearer(piece, region, piece.key in two_sided)
        for piece in lying:
            self._look()
            self.add_bearer(piece, region)
        for piece in loose:
            self._look()
            self.add(piece)

    def _set(self, settings: Settings) -> None:
        self.settings = settings
        p = self.world.integration_parameters
        p.dt = settings.dt
        p.length_unit = LENGTH_UNIT
        p.num_solver_iterations = settings.iterations
        p.normalized_allowed_linear_error = ALLOWED_ERROR / LENGTH_UNIT
        p.normalized_max_linear_velocity = settings.cap / LENGTH_UNIT
        p.normalized_max_corrective_velocity = settings.parting / LENGTH_UNIT
        p.contact_softness = rapier3d.SpringCoefficients(settings.softness, 10.0)
        p.static_contact_softness = rapier3d.SpringCoefficients(2.0 * settings.softness, 10.0)
        p.contact_recycling = settings.recycle
        # The engine's own search for what is gone through takes most of a step where things have thin walls.
        p.max_ccd_substeps = 0
        self.world.gravity = rapier3d.Vec3(0.0, -settings.gravity, 0.0)

    def change(self, settings: Settings) -> None:
        """Go on under other settings; everything is woken up."""
        self._set(settings)
        self.damp(*settings.damping)
        self.world.wake_up_all()

    def _check(self, piece: Piece) -> None:
        points = self._mesh_of(piece).far_corners @ piece.pose.linear.T + (piece.pose.origin - self.origin)
        if not np.isfinite(points).all():
            raise NotForGravity(f"{piece.name} has a pose or a mesh that is not finite; place it anew")
        extent = float(np.ptp(points, axis=0).max())
        if not LEAST_EXTENT <= extent <= MOST_EXTENT:
            raise NotForGravity(f"{piece.name} is {extent:.3g} m large; gravity takes things from 1 mm to 500 m")

    def add_bearer(self, piece: Piece, region: tuple[Vec, Vec] | None, two_sided: bool | None = None) -> None:
        """``two_sided``: whether its triangles may be met from either side; None when its contact shape is to be met."""
        if region is not None:
            lo, hi = world_box(self._mesh_of(piece), piece.pose)
            if (lo > region[1]).any() or (hi < region[0]).any():
                return
        self._check(piece)
        turn, stretch = turn_and_stretch(piece.pose.linear)
        physical = self.properties.get(piece.prop.key, PhysicalProperties())
        collider = rapier3d.Collider.new(
            self._made.solid(self.shapes[piece.prop.key], stretch)
            if two_sided is None
            else self._made.surface(self._mesh_of(piece), stretch, two_sided)
        )
        collider = collider.position(isometry(piece.pose.origin - self.origin, turn))
        collider = collider.contact_skin(SKIN).friction(physical.friction).restitution(physical.restitution)
        body = self.world.add_body(rapier3d.RigidBody.fixed())
        self._colliders[self.world.add_collider(collider, body)] = piece.key

    def add(self, piece: Piece, velocity: Vec | None = None, spin: Vec | None = None) -> int:
        """A body more, with a velocity (m/s) and a spin (rad/s); returns its number.

        Raises NotForGravity, with the piece named, before it reaches the engine.
        """
        if len(self.pieces) - len(self._gone) >= MOST_BODIES:
            raise NotForGravity(f"more than {MOST_BODIES} pieces are too many to settle at once; choose fewer")
        shape = self.shapes.get(piece.prop.key)
        if shape is None:
            raise NotForGravity(f"{piece.name} has no contact shape; make one on the bench")
        linear = piece.pose.linear
        self._check(piece)
        physical = self.properties.get(piece.prop.key, PhysicalProperties())
        at = piece.pose.origin - self.origin
        turn, stretch = turn_and_stretch(linear)
        body = (
            rapier3d.RigidBody.dynamic()
            .translation(tuple(at))
            .linear_damping(self.settings.damping[0])
            .angular_damping(self.settings.damping[1])
            .additional_mass_properties(self._made.mass(self._mesh_of(piece), stretch, physical).turned(turn))
            .soft_ccd_prediction(self.settings.ahead)
        )
        handle = self.world.add_body(body)
        self._handles.append(handle)
        collider = rapier3d.Collider.new(self._made.solid(shape, stretch)).position(isometry(np.zeros(3), turn))
        collider = collider.density(0.0).contact_skin(SKIN)
        collider = collider.friction(physical.friction).restitution(physical.restitution)
        worn = self.world.add_collider(collider, handle)
        self._colliders[worn] = piece.key
        self._worn.append((worn, stretch))
        made = self.world.rigid_bodies[handle]
        if velocity is not None:
            made.linvel = vec3(velocity)
        if spin is not None:
            made.angvel = vec3(spin)
        self.pieces.append(piece)
        self.keys.append(piece.key)
        self._bodies.append(made)
        half = 0.5 * thickness_of(self._mesh_of(piece), piece)
        if half < THIN:
            self._thin[len(self.pieces) - 1] = half
        return len(self.pieces) - 1

    def take(self, number: int) -> None:
        """Take a body out of the world."""
        self._gone[number] = self._row(number)
        self._thin.pop(number, None)
        self.world.remove_body(self._handles[number])

    def wear(self, shapes: Mapping[str, ContactShape], numbers: Iterable[int] | None = None) -> None:
        """Go on with other contact shapes, all bodies or some; those get woken up."""
        if numbers is None:
            self.shapes = shapes
        for number in self.left if numbers is None else numbers:
            self._look()
            handle, stretch = self._worn[number]
            self.world.colliders[handle].shape = self._made.solid(shapes[self.pieces[number].prop.key], stretch)
            self._bodies[number].wake_up()

    def there(self, number: int) -> bool:
        """Whether a body is still in the world."""
        return number not in self._gone

    @property
    def gone(self) -> list[str]:
        """The keys of the bodies that were taken out, in their order."""
        return [self.keys[n] for n in self._gone]

    @property
    def left(self) -> list[int]:
        """The numbers of the bodies that are still in the world."""
        return [n for n in range(len(self.pieces)) if n not in self._gone]

    def step(self) -> None:
        """One step. What the engine sets aside because it went wrong is brought back to where it last was, and so is what
        went so fast that its middle passed through something fixed; it comes on more slowly."""
        before = self._middles()
        self.world.step()
        for handle in self.world.quarantine.bodies:
            body = self.world.rigid_bodies[handle]
            body.is_enabled = True
            body.linvel = body.angvel = rapier3d.Vec3.zeros()
        after = self._middles()
        directions = after - before
        for row in np.flatnonzero(np.linalg.norm(directions, axis=1) > np.fromiter(self._thin.values(), np.float64)):
            ray = rapier3d.Ray(tuple(before[row]), tuple(directions[row]))
            if self.world.query_pipeline.cast_ray(ray, 1.0, False, ONLY_FIXED) is not None:
                body = self._bodies[list(self._thin)[row]]
                body.translation = vec3(np.array(body.translation.to_tuple()) - directions[row])
                body.linvel = vec3(SLOWED * np.array(body.linvel.to_tuple()))

    def _middles(self) -> Vec:
        """(n, 3) where the centres of mass of the thin bodies are, in the engine's frame."""
        return np.array([self._bodies[n].center_of_mass.to_tuple() for n in self._thin]).reshape(-1, 3)

    def _row(self, number: int) -> Vec:
        found = np.frombuffer(self._bodies[number].position.to_bytes()[HEADER_BYTES:], dtype=np.float32)
        return np.concatenate([found[4:].astype(np.float64) + self.origin, found[:4].astype(np.float64)])

    def poses(self) -> Vec:
        """(n, 7) position and turn since the start (quaternion x y z w) of every body, in the world's own frame."""
        left = self.left
        rows = np.empty((len(self.pieces), 7))
        data = b"".join(self._bodies[n].position.to_bytes()[HEADER_BYTES:] for n in left)
        found = np.frombuffer(data, dtype=np.float32).reshape(-1, 7).astype(np.float64)
        rows[left] = np.concatenate([found[:, 4:] + self.origin, found[:, :4]], axis=1)
        for number, row in self._gone.items():
            rows[number] = row
        return rows

    def velocities(self, numbers: Iterable[int]) -> Vec:
        """(n, 3) metres a second of some bodies' centres of mass."""
        return np.array([self._bodies[n].linvel.to_tuple() for n in numbers]).reshape(-1, 3)

    def spin(self, number: int) -> Vec:
        """(3,) radians a second."""
        return np.array(self._bodies[number].angvel.to_tuple())

    def place(self, number: int) -> Vec:
        """(3,) where one body is now, in the world."""
        return np.array(self._bodies[number].translation.to_tuple()) + self.origin

    def placed(self) -> list[Piece]:
        """The pieces where the bodies are now, without those that have gone."""
        rows = self.poses()
        return [self.pieces[n].at(pose_after(self.pieces[n].pose, rows[n])) for n in self.left]

    def put(self, number: int, position: Vec) -> None:
        """Bring one body back to a place in the world, at rest and turned as it was at the start."""
        body = self._bodies[number]
        body.translation = vec3(position - self.origin)
        body.rotation = rapier3d.Rotation3.identity()
        body.linvel = body.angvel = rapier3d.Vec3.zeros()
        body.wake_up()

    def lift(self, number: int, up: float) -> None:
        """Bring one body up by so many metres, turned as it is, at rest."""
        body = self._bodies[number]
        body.translation = vec3(np.array(body.translation.to_tuple()) + np.array([0.0, up, 0.0]))
        body.linvel = body.angvel = rapier3d.Vec3.zeros()

    def hold(self, number: int) -> None:
        """Fix one body where it is."""
        self._bodies[number].body_type = rapier3d.RigidBodyType.FIXED

    def damp(self, linear: float, angular: float) -> None:
        """Slow everything down by so much, 1/s."""
        for number in self.left:
            body = self._bodies[number]
            body.linear_damping, body.angular_damping = linear, angular

    def drive(self, number: int, velocity: Vec) -> None:
        """Give one body a velocity, in metres a second."""
        body = self._bodies[number]
        body.linvel = vec3(velocity)
        body.wake_up()

    def overlaps(self, least: float) -> dict[tuple[str, str], float]:
        """Pairs of pieces whose shapes are more than ``least`` metres inside each other, and how deep (m)."""
        # The engine's own search outside a step takes new bodies out of the running; a step of no length does not.
        self.world.integration_parameters.dt = LOOK_DT
        self.world.step()
        self.world.integration_parameters.dt = self.settings.dt
        found: dict[tuple[str, str], float] = {}
        for pair in self.world.narrow_phase.contact_pairs():
            deepest = pair.find_deepest_contact()
            if deepest is None or deepest.dist >= -least:
                continue
            a, b = sorted((self._colliders[pair.collider1], self._colliders[pair.collider2]))
            found[a, b] = max(found.get((a, b), 0.0), -float(deepest.dist))
        return found


def vec3(values: Vec) -> rapier3d.Vec3:
    """A (3,) vector as the engine takes it."""
    return rapier3d.Vec3(float(values[0]), float(values[1]), float(values[2]))


def thickness_of(mesh: Mesh, piece: Piece) -> float:
    """Metres: the least side of the box of a piece of this mesh."""
    lo, hi = mesh.box
    return float((np.linalg.norm(piece.pose.linear, axis=0) * (hi - lo)).min())


def pose_after(start: Pose, row: Vec) -> Pose:
    """The pose of a piece whose body has moved to (7,) position and turn."""
    turn = rotation_matrix((row[3], row[4], row[5], row[6]))
    return Pose.of(turn @ start.linear, row[:3])


def isometry(position: Vec, turn: Vec) -> Any:
    """A position (3,) and a rotation (3, 3) as the engine takes them."""
    x, y, z, w = quaternion_of(turn)
    return rapier3d.Isometry3(vec3(position), rapier3d.Rotation3(w, x, y, z))


Stretch = tuple[float, ...]


def turn_and_stretch(linear: Vec) -> tuple[Vec, Stretch]:
    """A pose's linear part as a rotation (3, 3) after a symmetric stretch (nine numbers): its polar decomposition
    (Higham, 1986). Copies of one prop in one size share the stretch, and so the engine's shape, however they are turned.
    """
    u, s, vt = np.linalg.svd(linear)
    flip = np.array([1.0, 1.0, float(np.sign(np.linalg.det(u @ vt)))])
    stretch = (vt.T * (s * flip)) @ vt
    return (u * flip) @ vt, tuple(np.round(stretch, 9).ravel().tolist())


@dataclass(frozen=True)
class Mass:
    """``mass`` as the solver weighs it; ``centre`` (3,) and principal ``axes`` (3, 3) in the stretched mesh's frame, with
    the ``moments`` (3,) about them."""

    mass: float
    centre: Vec
    moments: Vec
    axes: Vec

    def turned(self, turn: Vec) -> Any:
        """As the engine takes it, of a body whose mesh is turned so."""
        x, y, z, w = quaternion_of(turn @ self.axes)
        return rapier3d.MassProperties(
            tuple(turn @ self.centre), self.mass, tuple(self.moments), rapier3d.Rotation3(w, x, y, z)
        )


def mass_properties(mesh: Mesh, linear: Vec, physical: PhysicalProperties) -> Mass:
    """Of the true mesh, not of its shape (whose parts overlap); weighted as ``WEIGHT_POWER`` says."""
    volume, centre = mesh.mass
    grown = abs(float(np.linalg.det(linear)))
    size = float(np.linalg.norm(mesh.box[1] - mesh.box[0])) * grown ** (1.0 / 3.0)
    true = physical.mass
    if true is None:
        solid = abs(volume) * grown if mesh.health.closed else None
        true = mass_of(solid, mesh.area * grown ** (2.0 / 3.0), physical.material)
    mass = max(true, LEAST_MASS) ** WEIGHT_POWER
    # Second moments go with the linear part from both sides; the inertia is what is left of their trace.
    moment = 0.5 * np.trace(mesh.inertia) * np.eye(3) - mesh.inertia
    moved = linear @ moment @ linear.T
    inertia = mass * (np.trace(moved) * np.eye(3) - moved)
    least = mass * (0.02 * size) ** 2
    if not np.isfinite(inertia).all() or volume == 0.0:
        inertia = np.eye(3) * mass * (0.3 * size) ** 2
    values, axes = np.linalg.eigh(0.5 * (inertia + inertia.T))
    if np.linalg.det(axes) < 0.0:
        axes[:, 0] *= -1.0
    return Mass(mass, linear @ centre, np.maximum(values, least), axes)


class EngineShapes:
    """The engine's shapes, and what they weigh, each made once and shared by all worlds of a run."""

    def __init__(self) -> None:
        self._solids: dict[tuple[ContactShape, Stretch], Any] = {}
        self._surfaces: dict[tuple[Mesh, Stretch, bool], Any] = {}
        self._masses: dict[tuple[Mesh, Stretch, PhysicalProperties], Mass] = {}

    def mass(self, mesh: Mesh, stretch: Stretch, physical: PhysicalProperties) -> Mass:
        """Of a mesh, stretched."""
        key = (mesh, stretch, physical)
        if key not in self._masses:
            self._masses[key] = mass_properties(mesh, np.array(stretch).reshape(3, 3), physical)
        return self._masses[key]

    def solid(self, shape: ContactShape, stretch: Stretch) -> Any:
        """Of a contact shape, stretched. Raises NotForGravity when that leaves it no thickness."""
        key = (shape, stretch)
        if key not in self._solids:
            self._solids[key] = rigid_solid(shape, np.array(stretch).reshape(3, 3))
        return self._solids[key]

    def surface(self, mesh: Mesh, stretch: Stretch, two_sided: bool) -> Any:
        """Of a true surface, stretched, facing outward."""
        key = (mesh, stretch, two_sided)
        if key not in self._surfaces:
            self._surfaces[key] = surface_of(mesh, np.array(stretch).reshape(3, 3), two_sided)
        return self._surfaces[key]


def rigid_solid(shape: ContactShape, linear: Vec) -> Any:
    """The engine's shape of a contact shape under ``linear`` (3, 3). Raises NotForGravity when it is flat."""
    scale = np.diag(linear)
    if shape.kind == "ball" and float(np.abs(linear - scale[0] * np.eye(3)).max()) < 1e-6 * abs(scale[0]):
        centre = linear @ np.array(shape.centre)
        ball = rapier3d.SharedShape.ball(shape.figures[0] * float(abs(scale[0])))
        return rapier3d.SharedShape.compound([(isometry(centre, np.eye(3)), ball)])
    hulls = []
    for solid in shape.solids:
        try:
            hulls.append(rapier3d.SharedShape.convex_hull((solid @ linear.T).astype(np.float32)))
        except rapier3d.MeshConversionError:
            # Pressed flat by its scale.
            continue
    if not hulls:
        raise NotForGravity("a piece is scaled so thin that it has no thickness to fall with; scale it anew")
    if len(hulls) == 1:
        return hulls[0]
    return rapier3d.SharedShape.compound([(rapier3d.Isometry3.identity(), hull) for hull in hulls])


def surface_of(mesh: Mesh, linear: Vec, two_sided: bool) -> Any:
    """The engine's shape of a mesh under ``linear`` (3, 3), facing outwards. ``two_sided``: for open meshes."""
    mirrored = np.linalg.det(linear) < 0.0
    faces = mesh.faces[:, ::-1] if mirrored != mesh.health.inward else mesh.faces
    flags = rapier3d.TriMeshFlags
    inner = flags.FIX_INTERNAL_EDGES_TWO_SIDED if two_sided else flags.FIX_INTERNAL_EDGES
    wanted = flags.MERGE_DUPLICATE_VERTICES | flags.DELETE_DEGENERATE_TRIANGLES | inner
    return rapier3d.SharedShape.trimesh(
        (mesh.vertices @ linear.T).astype(np.float32), np.ascontiguousarray(faces).astype(np.uint32), flags=wanted
    )


def calmed(settings: Settings, calm: float) -> Settings:
    """The same, calmer: 0 as things fall, 1 as if in honey."""
    linear, angular = settings.damping
    return replace(settings, damping=(linear + 3.0 * calm**2, angular + 6.0 * calm**2))
