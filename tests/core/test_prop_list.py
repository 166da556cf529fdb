"""Lists of props as tables: what a spreadsheet writes is understood, what is wrong is named by its row, and what goes out comes back."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.tables.prop_list import COLUMNS, csv_of_rules, rules_of_csv
from brickseat_core.recipes.fill_schema import parse_fill


def read(text: str) -> list[dict[str, Any]]:
    return rules_of_csv(text, "list.csv")


@pytest.mark.parametrize(
    "text",
    [
        "prop,share,sides,size_from,size_to\njar.glb,2.5,any,0.8,1.2\n",
        "\ufeffProp;Share;Sides;Size_from;Size_to\r\njar.glb;2,5;ANY;0,8;1,2\r\n",
        'prop,share,sides,size_from,size_to\n"jar.glb","2,5",any,"0,8","1,2"\n\n',
        "share\tprop\tsize_to\tsize_from\tsides\n2.5\tjar.glb\t1.2\t0.8\tany\n",
    ],
)
def test_as_spreadsheets_write_it(text: str) -> None:
    assert read(text) == [{"file": "jar.glb", "share": 2.5, "sides": "any", "size": [0.8, 1.2]}]


def test_quotes_and_what_is_left_empty() -> None:
    text = 'prop,count,nest,turn_step_deg,size_to\n"jug, ""blue""\nand tall",3,no,45,\n tile ,,,,2\n'
    assert read(text) == [
        {"piece": 'jug, "blue"\nand tall', "count": 3, "nest": False, "turn_step_deg": 45.0},
        {"piece": "tile", "size": [2.0, 2.0]},
    ]


@pytest.mark.parametrize(
    ("text", "match"),
    [
        ("", "is empty"),
        ("name,share\njar,1\n", "row 1 names no column prop"),
        ("prop,colour\njar,red\n", "row 1: 'colour' is no column"),
        ("prop,share\njar,two\n", "row 2: share: 'two' is no number"),
        ("prop,share\njar,1\n,2\ntile,-1\n", r"row 3: prop: is empty; name a prop; row 4: share: '-1' is no number"),
        ("prop,count\njar,1.5\n", "row 2: count: 1.5 is no number of pieces"),
        ("prop,sides\njar,top\n", "row 2: sides: 'top' is not one of base, any"),
        ("prop,size_from,size_to\njar,2,1\n", "row 2: size_from: 2 to 1 is no range"),
        ("prop,share\njar,1,5\n", "row 2: has 3 cells, and there are 2 columns"),
        ('prop,share\n"jar,1\n', "is no table"),
        ("prop\n", "has 0 props"),
        ("prop\n" + "jar\n" * 101, "has 101 props"),
        ("prop,share\n" + "jar,x\n" * 9, "and 4 more rows"),
    ],
)
def test_what_is_wrong_is_named_by_its_row(text: str, match: str) -> None:
    with pytest.raises(FileError, match=match):
        read(text)


RULES = st.fixed_dictionaries(
    {"piece": st.text(st.characters(blacklist_categories=["Cs", "Cc"]), min_size=1).map(str.strip).filter(bool)},
    optional={
        "share": st.integers(1, 1000).map(lambda n: n / 8),
        "count": st.integers(1, 999),
        "turn_step_deg": st.sampled_from([0.0, 45.0, 90.0]),
        "sides": st.sampled_from(["base", "any"]),
        "size": st.tuples(st.integers(1, 8), st.integers(8, 16)).map(lambda s: [s[0] / 8, s[1] / 8]),
        "nest": st.booleans(),
    },
)


@given(st.lists(RULES, min_size=1, max_size=5))
def test_what_goes_out_comes_back(rules: list[dict[str, Any]]) -> None:
    text = csv_of_rules(rules, lambda rule: rule["piece"])
    assert text.split("\r\n", 1)[0] == ",".join(COLUMNS)

    def whole(listed: list[dict[str, Any]]) -> Any:
        return parse_fill({"bay": "bay", "props": listed}).props

    assert whole(rules_of_csv(text, "list", lambda name: {"piece": name})) == whole(rules)
