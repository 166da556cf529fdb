"""What scatter and fill have in common as moves: the record that is laid anew, its pieces, and what a new laying changes of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from brickseat_core.moves.choosing import taken_names
from brickseat_core.moves.registry import MoveRefused, Scene
from brickseat_core.recipes.fill_schema import FillRule
from brickseat_core.recipes.numbering import renumbered
from brickseat_core.recipes.scatter_schema import PropRule
from brickseat_core.scene import Delta, Piece, Prop, Recipe, piece_delta
from brickseat_core.scene.records import RecipeKind


@dataclass
class RecipePieces:
    """The pieces of a recipe before it is laid, out of the index. ``before``: its record, None for a new recipe. ``key``: of its record.

    ``standing``: its pieces by number.
    """

    scene: Scene
    key: str
    before: Recipe | None
    standing: Mapping[int, Piece]
    _names: set[str] = field(default_factory=set)
    gone: tuple[Piece, ...] = ()
    """Those that have no number any more."""

    @classmethod
    def of(cls, scene: Scene, again: str | None, kind: RecipeKind) -> "RecipePieces":
        """Those of the recipe ``again``; none for a new one. Raises MoveRefused where there is no such recipe of that kind."""
        before = scene.dressed.recipes.get(again) if again is not None else None
        if again is not None and (before is None or before.recipe != kind):
            raise MoveRefused("that recipe is no longer there; lay a new one")
        standing = {
            p.number: p
            for p in scene.dressed.pieces.values()
            if before is not None and p.recipe == before.key and p.number is not None
        }
        for piece in standing.values():
            scene.index.remove(piece.key)
        names = taken_names(scene) - {p.name for p in standing.values()}
        return cls(scene, before.key if before is not None else scene.fresh_key(), before, standing, names)

    def renumbered(self, before: list[str], after: list[str]) -> "RecipePieces":
        """The same, its pieces called as they are once the recipe lays on other surfaces; those of surfaces that are gone have no number any more."""
        if before == after:
            return self
        numbered = [(renumbered(n, before, after), p) for n, p in self.standing.items()]
        standing = {n: replace(p, number=n) for n, p in numbered if n is not None}
        return replace(self, standing=standing, gone=(*self.gone, *(p for n, p in numbered if n is None)))

    def key_of(self, number: int) -> str:
        """The key of the piece of a number: the one it has, or a fresh one."""
        standing = self.standing.get(number)
        return standing.key if standing is not None else self.scene.fresh_key()

    def name_of(self, prop: Prop, number: int) -> str:
        """A name that no other piece has."""
        name, again = f"{prop.name} {number}", 2
        while name in self._names:
            name, again = f"{prop.name} {number} ({again})", again + 1
        return name

    def recipe_name(self, given: str, props: Sequence[Prop]) -> str:
        """What the recipe is called: as it is asked for, as it was, or after its props."""
        return given or (self.before.name if self.before is not None else " and ".join(p.name for p in props[:2]))

    def deltas(self, record: Recipe, laid: Mapping[int, Piece]) -> tuple[Delta, ...]:
        """What changes: the record, and the pieces that went, came or moved."""
        found: list[Delta] = [] if record == self.before else [Delta("recipe", self.key, self.before, record)]
        # As they are on the set: here they may be called by other numbers.
        old = {n: self.scene.dressed.pieces[p.key] for n, p in self.standing.items()}
        found += [piece_delta(self.scene.dressed.pieces[p.key], None) for p in self.gone]
        found += [piece_delta(p, None) for n, p in old.items() if n not in laid]
        found += [piece_delta(old.get(n), p) for n, p in sorted(laid.items()) if old.get(n) != p]
        return tuple(found)


def props_of(scene: Scene, rules: Sequence[PropRule | FillRule]) -> list[Prop]:
    """The props of a recipe's rules, in their order. Raises MoveRefused."""
    found = []
    for number, rule in enumerate(rules):
        if rule.prop is not None:
            found.append(scene.prop(rule.prop))
            continue
        if rule.piece is None:
            raise MoveRefused(f"props.{number}: a file is only read by the command line; choose a prop of the store")
        piece: Piece | None = scene.apart.pieces.get(rule.piece)
        if piece is None:
            raise MoveRefused(f"props.{number}: there is no piece {rule.piece!r} on the set; choose another one")
        found.append(piece.prop)
    return found
