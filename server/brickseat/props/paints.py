"""The paints of Hollow Hill Pottery."""

from brickseat_core.formats.gltf.building import Paint


def paint(name: str, hexcode: str, roughness: float = 0.9, metallic: float = 0.0) -> Paint:
    def linear(value: int) -> float:
        c = value / 255
        return c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4

    r, g, b = (linear(int(hexcode[i : i + 2], 16)) for i in (0, 2, 4))
    return Paint(name, (r, g, b), roughness, metallic)


CLAY = paint("bare clay", "b57f63", 0.95)
DARK_CLAY = paint("dark clay", "8f5d49", 0.95)
CREAM = paint("cream glaze", "e8dcc0", 0.35)
CELADON = paint("celadon glaze", "93b2a0", 0.3)
COBALT = paint("cobalt slip", "47658a", 0.4)
HONEY = paint("honey glaze", "c09353", 0.32)
OAK = paint("oak", "b3946f", 0.8)
ASH = paint("scrubbed ash", "cfbd9f", 0.85)
WALNUT = paint("walnut", "76604d", 0.75)
JUTE = paint("jute", "c4aa7c", 1.0)
LINEN = paint("linen", "d8cdb6", 1.0)
WICKER = paint("wicker", "ab8350", 0.95)
IRON = paint("iron", "50545a", 0.55, 0.6)
ZINC = paint("zinc", "9ba3a6", 0.45, 0.7)
STONE = paint("hill stone", "9a948a", 1.0)
SLATE = paint("slate", "6f767b", 0.9)
LEAF = paint("herb leaf", "6f8f50", 0.9)
SAGE = paint("sage leaf", "93a487", 0.95)
EARTH = paint("potting earth", "57432f", 1.0)
BRASS = paint("brass", "b8964f", 0.4, 0.8)
CARD = paint("card", "b9a98c", 1.0)
BRICK = paint("fire brick", "c08a63", 1.0)
