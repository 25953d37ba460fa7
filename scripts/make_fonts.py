#!/usr/bin/python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes resources/fonts from Debian's fonts-inter: digits and a few signs mapped to their tabular forms, since
Qt 6.4 cannot ask a font for features. Run by hand when the font changes; needs the Debian package fonttools."""
import pathlib
from fontTools.ttLib import TTFont
from fontTools import subset

SOURCE = pathlib.Path("/usr/share/fonts/opentype/inter")
TARGET = pathlib.Path(__file__).resolve().parent.parent / "resources" / "fonts"

def tabular(font):
    """glyph -> its tabular form, read from the feature tnum"""
    gsub, found = font["GSUB"].table, {}
    for record in gsub.FeatureList.FeatureRecord:
        if record.FeatureTag == "tnum":
            for index in record.Feature.LookupListIndex:
                for table in gsub.LookupList.Lookup[index].SubTable:
                    table = getattr(table, "ExtSubTable", table)
                    found.update(getattr(table, "mapping", {}))
    return found

for weight in ("Regular", "Medium", "SemiBold", "Bold"):
    font = TTFont(SOURCE / f"Inter-{weight}.otf")
    swap = tabular(font)
    for table in font["cmap"].tables:
        for code, glyph in list(table.cmap.items()):
            if chr(code) in "0123456789+-.,:/%=<>" or code in (0x2212, 0x00B1, 0x00D7):
                table.cmap[code] = swap.get(glyph, glyph)
    family = "Cooperage Sans"
    for name in font["name"].names:
        text = {1: family if weight in ("Regular", "Bold") else f"{family} {weight}", 3: f"{family} {weight}",
                4: f"{family} {weight}", 6: f"CooperageSans-{weight}", 16: family, 17: weight}.get(name.nameID)
        if text:
            name.string = text
    if "CFF " in font:
        cff = font["CFF "].cff
        cff.fontNames = [f"CooperageSans-{weight}"]
        top = cff.topDictIndex[0]
        top.FullName, top.FamilyName = f"{family} {weight}", family
    options = subset.Options()
    options.layout_features = ["kern", "mark", "mkmk", "ccmp", "locl"]
    options.name_IDs, options.notdef_outline = ["*"], True
    cut = subset.Subsetter(options)
    cut.populate(unicodes=list(range(0x20, 0x250)) + list(range(0x370, 0x400)) + list(range(0x2000, 0x2070)) +
                 list(range(0x2190, 0x2200)) + list(range(0x2200, 0x2300)) + [0x2318, 0x2713, 0x2715, 0x25B6, 0x25CF, 0x2193])
    cut.subset(font)
    font.save(TARGET / f"CooperageSans-{weight}.otf")
