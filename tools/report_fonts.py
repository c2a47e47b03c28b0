"""Cut the fonts of reports out of the console's variable ones: a file for each weight that reports use.

A file of one weight is laid out and embedded in a fraction of the time of a variable one.

    python tools/report_fonts.py
"""

from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib import instancer

ROOT = Path(__file__).parents[1]
CONSOLE = ROOT / "console/node_modules/@fontsource-variable"
FONTS = ROOT / "src/noctilum/reports/fonts"
CUT = {
    "archivo": ("archivo/files/archivo-latin-wdth-normal.woff2", {"wdth": 100}, (400, 500, 600, 700)),
    "petrona": ("petrona/files/petrona-latin-wght-normal.woff2", {}, (400, 600, 700)),
}


def main() -> None:
    """Write every file anew."""
    for name, (path, axes, weights) in CUT.items():
        for weight in weights:
            font = instancer.instantiateVariableFont(TTFont(CONSOLE / path), {**axes, "wght": weight})
            font.flavor = "woff2"
            font.save(FONTS / f"{name}-{weight}.woff2")


if __name__ == "__main__":
    main()
