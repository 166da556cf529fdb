"""The rigid-body world of a set: the one place where pieces become bodies of the engine, and everything is checked
before it gets there.

Loose pieces are bodies with their contact shapes, all others are fixed as the triangles they truly have. The engine
reckons in single precision, so the world is laid round the loose pieces; every body starts untilted, its pose as
drawn being baked into its shape, so that scaled, mirrored and sheared pieces need no special care.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import rapier3d

from brickseat_core.gravity.materials import MATERIALS, USUAL_MATERIAL, Material, mass_of
from brickseat_core.gravity.shapes import SKIN, ContactShape
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Vec, rotation_matrix

GRAVITY = 9.81
LENGTH_UNIT = 0.1
"""Metres that the engine takes for one: tens of centimetres is what props are."""
ALLOWED_ERROR = 1e-4
SPEED_CAP = 3.0
"""Metres a second: what falls no faster than this does not pass through a shelf of 18 mm."""
WEIGHT_POWER = 0.5
"""The solver reckons with this power of the true masses, size to the 1.5 for one material: small things under large
ones settle."""
LOOK_DT = 1e-6
LEAST_EXTENT, LEAST_MASS = 1e-3, 1e-4
MOST_EXTENT = 500.0
MOST_BODIES = 4000
HEADER_BYTES = 8
"""Of a pose as the engine writes it: then four numbers of the quaternion (x, y, z, w) and three of the position."""


class NotForGravity(ValueError):
    """A piece that the engine cannot take; says which and why."""


@dataclass(frozen=True)
class Stuff:
    """What a prop is of, for gravity: friction and restitution. ``mass`` in kg, None for what its volume weighs."""

    material: Material = MATERIALS[USUAL_MATERIAL]
    grip: float | None = None
    bounce: float | None = None
    mass: float | None = None

    @property
    def friction(self) -> float:
        return self.material.grip if self.grip is None else self.grip

    @property
    def restitution(self) -> float:
        return self.material.bounce if self.bounce is None else self.bounce


@dataclass(frozen=True)
class Settings:
    """``iterations`` and ``softness`` (Hz) of the contact solver; ``dt`` seconds; ``cap`` metres a second;
    ``gravity`` m/s²; ``damping``: linear and angular, 1/s."""

    dt: float = 1.0 / 120.0
    iterations: int = 4
    softness: float = 120.0
    cap: float = SPEED_CAP
    gravity: float = GRAVITY
    damping: tuple[float, float] = (0.05, 0.3)
    recycle: bool = True


SETTLE = Settings()
EASE = Settings(gravity=0.0, damping=(20.0, 20.0), cap=0.5)
RELAX = Settings(1.0 / 60.0, 32, 480.0, 0.3, 2.0, (1.0, 1.0), recycle=False)


class World:
    """The loose pieces of a set as bodies, in the order of ``keys``; ``origin`` is where the engine's zero lies."""

    def __init__(
        self,
        loose: Iterable[Piece],
        fixed: Iterable[Piece],
        shapes: Mapping[str, ContactShape],
        stuffs: Mapping[str, Stuff],
        settings: Settings = SETTLE,
        two_sided: frozenset[str] = frozenset(),
    ) -> None:
        """``shapes``, ``stuffs``: by prop key. ``two_sided``: keys of fixed pieces whose faces may look either way.

        Raises NotForGravity, with the piece named, before anything reaches the engine.
        """
        self.pieces = list(loose)
        self.keys = [p.key for p in self.pieces]
        if len(self.pieces) > MOST_BODIES:
            raise NotForGravity(
                f"{len(self.pieces)} pieces are too many to settle at once; choose at most {MOST_BODIES}"
            )
        origins = np.array([p.pose.origin for p in self.pieces]).reshape(-1, 3)
        self.origin: Vec = origins.mean(axis=0) if len(origins) else np.zeros(3)
        self.world = rapier3d.PhysicsWorld((0.0, -settings.gravity, 0.0))
        # Heaps are one island, which more threads do not make quicker.
        self.world.set_num_threads(1)
        self._set(settings)
        self._handles: list[Any] = []
        self._colliders: dict[Any, str] = {}
        for piece in fixed:
            if piece.key not in self.keys:
                self._fix(piece, stuffs, piece.key in two_sided)
        for piece in self.pieces:
            self._loosen(piece, shapes, stuffs, settings)
        self._bodies = [self.world.rigid_bodies[h] for h in self._handles]

    def _set(self, settings: Settings) -> None:
        self.settings = settings
        p = self.world.integration_parameters
        p.dt = settings.dt
        p.length_unit = LENGTH_UNIT
        p.num_solver_iterations = settings.iterations
        p.normalized_allowed_linear_error = ALLOWED_ERROR / LENGTH_UNIT
        p.normalized_max_linear_velocity = settings.cap / LENGTH_UNIT
        p.contact_softness = rapier3d.SpringCoefficients(settings.softness, 10.0)
        p.static_contact_softness = rapier3d.SpringCoefficients(2.0 * settings.softness, 10.0)
        p.contact_recycling = settings.recycle
        self.world.gravity = rapier3d.Vec3(0.0, -settings.gravity, 0.0)

    def change(self, settings: Settings) -> None:
        """Go on under other settings; everything is woken up."""
        self._set(settings)
        for body in self._bodies:
            body.linear_damping, body.angular_damping = settings.damping
        self.world.wake_up_all()

    def _checked(self, piece: Piece, points: Vec) -> Vec:
        if not np.isfinite(points).all():
            raise NotForGravity(f"{piece.name} has a pose or a mesh that is not finite; place it anew")
        extent = float(np.ptp(points, axis=0).max())
        if not LEAST_EXTENT <= extent <= MOST_EXTENT:
            raise NotForGravity(f"{piece.name} is {extent:.3g} m large; gravity takes things from 1 mm to 500 m")
        return points

    def _fix(self, piece: Piece, stuffs: Mapping[str, Stuff], two_sided: bool) -> None:
        mesh = piece.prop.mesh
        points = self._checked(piece, piece.pose.apply(mesh.vertices) - self.origin)
        mirrored = np.linalg.det(piece.pose.linear) < 0.0
        faces = mesh.faces[:, ::-1] if mirrored != mesh.health.inward else mesh.faces
        flags = rapier3d.TriMeshFlags
        inner = flags.FIX_INTERNAL_EDGES_TWO_SIDED if two_sided else flags.FIX_INTERNAL_EDGES
        wanted = flags.MERGE_DUPLICATE_VERTICES | flags.DELETE_DEGENERATE_TRIANGLES | inner
        stuff = stuffs.get(piece.prop.key, Stuff())
        collider = rapier3d.Collider.trimesh(
            points.astype(np.float32), np.ascontiguousarray(faces).astype(np.uint32), flags=wanted
        )
        collider = collider.contact_skin(SKIN).friction(stuff.friction).restitution(stuff.restitution)
        body = self.world.add_body(rapier3d.RigidBody.fixed())
        self._colliders[self.world.add_collider(collider, body)] = piece.key

    def _loosen(
        self, piece: Piece, shapes: Mapping[str, ContactShape], stuffs: Mapping[str, Stuff], settings: Settings
    ) -> None:
        shape = shapes.get(piece.prop.key)
        if shape is None:
            raise NotForGravity(f"{piece.name} has no contact shape; make one on the bench")
        linear = piece.pose.linear
        self._checked(piece, piece.pose.apply(np.concatenate(shape.solids)) - self.origin)
        stuff = stuffs.get(piece.prop.key, Stuff())
        at = piece.pose.origin - self.origin
        body = (
            rapier3d.RigidBody.dynamic()
            .translation(tuple(at))
            .linear_damping(settings.damping[0])
            .angular_damping(settings.damping[1])
            .additional_mass_properties(mass_properties(piece.prop.mesh, linear, stuff))
        )
        handle = self.world.add_body(body)
        self._handles.append(handle)
        for solid in scaled_solids(shape, linear):
            collider = solid.density(0.0).contact_skin(SKIN)
            collider = collider.friction(stuff.friction).restitution(stuff.restitution)
            self._colliders[self.world.add_collider(collider, handle)] = piece.key

    def step(self) -> None:
        """One step. What the engine sets aside because it went wrong is brought back to where it last was."""
        self.world.step()
        for handle in self.world.quarantine.bodies:
            body = self.world.rigid_bodies[handle]
            body.is_enabled = True
            body.linvel = body.angvel = rapier3d.Vec3.zeros()

    def poses(self) -> Vec:
        """(n, 7) position and turn since the start (quaternion x y z w) of every body, in the world's own frame."""
        data = b"".join(body.position.to_bytes()[HEADER_BYTES:] for body in self._bodies)
        found = np.frombuffer(data, dtype=np.float32).reshape(-1, 7).astype(np.float64)
        return np.concatenate([found[:, 4:] + self.origin, found[:, :4]], axis=1)

    def place(self, number: int) -> Vec:
        """(3,) where one body is now, in the world."""
        return np.array(self._bodies[number].translation.to_tuple()) + self.origin

    def placed(self) -> list[Piece]:
        """The pieces where the bodies are now."""
        return [p.at(pose_after(p.pose, row)) for p, row in zip(self.pieces, self.poses(), strict=True)]

    def put(self, number: int, position: Vec) -> None:
        """Bring one body back to a place in the world, at rest and turned as it was at the start."""
        body = self._bodies[number]
        body.translation = vec3(position - self.origin)
        body.rotation = rapier3d.Rotation3.identity()
        body.linvel = body.angvel = rapier3d.Vec3.zeros()
        body.wake_up()

    def hold(self, number: int) -> None:
        """Fix one body where it is."""
        self._bodies[number].body_type = rapier3d.RigidBodyType.FIXED

    def damp(self, linear: float, angular: float) -> None:
        """Slow everything down by so much, 1/s."""
        for body in self._bodies:
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
    return rapier3d.Vec3(float(values[0]), float(values[1]), float(values[2]))


def pose_after(start: Pose, row: Vec) -> Pose:
    """The pose of a piece whose body has moved to (7,) position and turn."""
    turn = rotation_matrix((row[3], row[4], row[5], row[6]))
    return Pose.of(turn @ start.linear, row[:3])


def scaled_solids(shape: ContactShape, linear: Vec) -> list[Any]:
    """The engine's colliders of a contact shape under a pose's linear part."""
    scale = np.linalg.norm(linear, axis=0)
    even = float(np.ptp(scale)) < 1e-6 * float(scale.max())
    if shape.kind == "ball" and even:
        centre = linear @ np.array(shape.centre)
        return [rapier3d.Collider.ball(shape.figures[0] * float(scale[0])).translation(tuple(centre))]
    made = []
    for solid in shape.solids:
        collider = rapier3d.Collider.convex_hull((solid @ linear.T).astype(np.float32))
        if collider is not None:
            made.append(collider)
    return made


def mass_properties(mesh: Mesh, linear: Vec, stuff: Stuff) -> Any:
    """Of the true mesh, not of its shape (whose parts overlap); weighted as ``WEIGHT_POWER`` says, centre in the body."""
    volume, centre = mesh.mass
    grown = abs(float(np.linalg.det(linear)))
    size = float(np.linalg.norm(mesh.box[1] - mesh.box[0])) * grown ** (1.0 / 3.0)
    true = stuff.mass
    if true is None:
        solid = abs(volume) * grown if mesh.health.closed else None
        true = mass_of(solid, mesh.area * grown ** (2.0 / 3.0), stuff.material)
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
    x, y, z, w = Pose.of(axes, np.zeros(3)).orientation
    return rapier3d.MassProperties(
        tuple(linear @ centre),
        mass,
        tuple(np.maximum(values, least)),
        rapier3d.Rotation3(w, x, y, z),
    )


def calmed(settings: Settings, calm: float) -> Settings:
    """The same, calmer: 0 as things fall, 1 as if in honey."""
    linear, angular = settings.damping
    return replace(settings, damping=(linear + 3.0 * calm**2, angular + 6.0 * calm**2))
