"""Lengths as a dresser reads them: one place for units."""

from typing import Literal, get_args

Unit = Literal["mm", "cm", "m", "in", "ft"]
METRES_PER: dict[Unit, float] = {"mm": 0.001, "cm": 0.01, "m": 1.0, "in": 0.0254, "ft": 0.3048}
UNITS: tuple[Unit, ...] = get_args(Unit)


def in_words(metres: float, unit: Unit = "mm") -> str:
    """``0.0123`` -> ``12.3 mm``: one decimal for millimetres, enough for the others to tell a millimetre."""
    decimals = {"mm": 1, "cm": 2, "m": 3, "in": 2, "ft": 3}[unit]
    value = metres / METRES_PER[unit]
    return f"{value:.{decimals}f} {unit}"


def parse_length(text: str) -> float:
    """``0.5mm``, ``2 cm``, ``0.01`` (metres) -> metres. Raises ValueError with what was expected."""
    cleaned = text.strip().lower()
    for unit in sorted(UNITS, key=len, reverse=True):
        if cleaned.endswith(unit):
            number, factor = cleaned[: -len(unit)].strip(), METRES_PER[unit]
            break
    else:
        number, factor = cleaned, 1.0
    try:
        value = float(number) * factor
    except ValueError:
        raise ValueError(f"“{text}” is not a length; write it like 0.5mm, 2cm or 0.01 (metres)") from None
    if not 0.0 <= value < 1e6:
        raise ValueError(f"“{text}” is not a length from 0 to 1,000 km")
    return value
