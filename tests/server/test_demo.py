"""The demo data: there once, whole, rich enough, and wrong only where it was left wrong on purpose."""

import numpy as np
import pytest
from django.contrib.auth.models import User

from brickseat.accounts.demo_visitor import DRESSER
from brickseat.demo.sets import ensure_demo
from brickseat.props.hollow_hill import PROPS
from brickseat.sets.models import DressedSet, StoredRecord
from brickseat.sets.storing import read_set
from brickseat.store.models import StoredProp
from brickseat_core.constraints.indexing import index_of
from brickseat_core.constraints.tie_measures import measure_ties
from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair

pytestmark = pytest.mark.django_db


def test_hollow_hill_pottery() -> None:
    ensure_demo()
    before = list(StoredRecord.objects.order_by("id").values_list("pk", "data"))
    ensure_demo()
    assert list(StoredRecord.objects.order_by("id").values_list("pk", "data")) == before
    assert User.objects.get(username=DRESSER).has_usable_password() is False
    assert StoredProp.objects.filter(listed=True).count() >= 24
    assert StoredProp.objects.get(key="kiln-yard").triangles >= 20_000

    workshop = DressedSet.objects.get(name__startswith="Workshop")
    index = index_of(read_set(workshop)[0])
    fits = check(index, workshop.tolerance)
    assert len(fits) >= 60
    wrong = {index.pieces[k].name: f.state for k, f in fits.items() if f.faults}
    assert wrong == {
        "cider jug 3": "floating",
        "middle bowl 5": "sunk",
        "slatted crate 2": "floating",
        "pot of sage 2": "floating",
        "squat jar 3": "clashing",
        "squat jar 4": "clashing",
        "dinner plate 8": "tippy",
    }
    good = [f for f in fits.values() if not f.faults]
    assert max(f.gap or 0.0 for f in good) < 1e-5

    result = repair(index, workshop.tolerance)
    assert not result.left
    assert not any(f.faults for f in check(index, workshop.tolerance).values())
    assert {d.key for d in result.change.deltas} <= {k for k, f in fits.items() if f.faults}

    loading = read_set(DressedSet.objects.get(name__startswith="Kiln loading"))[0]
    index = index_of(loading)
    assert {f.state for f in check(index, loading.tolerance).values()} == {"seated"}
    assert {t.tie for t in loading.ties.values()} == {"cling", "gap", "square", "join"}
    assert [k for k, m in measure_ties(loading, index).items() if not m.holds] == ["stool-and-bench"]
    assert sorted(c.piece for c in loading.cut_outs.values()) == ["wall-hatch-1", "wall-vent-1"]
    assert sorted(len(b) for b in {tuple(b) for b in index.bodies.values()}) == [2, 2, 3, 15]


def test_props_are_closed_modelled_and_believable() -> None:
    from brickseat_core.formats.gltf.document import GltfDocument
    from brickseat_core.formats.prop_file import whole_mesh

    for prop in PROPS:
        mesh = whole_mesh(GltfDocument.parse(prop.document().to_glb()), prop.name)
        size = mesh.box[1] - mesh.box[0]
        assert mesh.health.closed, prop.name
        assert mesh.mass[0] > 0, prop.name
        assert len(mesh.faces) >= 44, prop.name
        assert float(np.min(size)) > 0.005, prop.name
        assert float(np.max(size)) < 2.5, prop.name
