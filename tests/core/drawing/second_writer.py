#!/usr/bin/python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Writes DXF files by another package, and what their curves measure by sums of its own, layer by layer.

second_writer.py FOLDER   writes FOLDER/*.dxf and FOLDER/expected.json: {file: {unit, layers: {name: [count, length, area]}}}
Lengths and areas are in m and m^2; areas without sign, of closed curves only.
"""
import json
import math
import sys

import ezdxf
from ezdxf.math import BSpline, Vec2, bulge_to_arc, rational_bspline_from_arc

GAUSS = [(-0.9739065285171717, 0.0666713443086881), (-0.8650633666889845, 0.1494513491505806),
         (-0.6794095682990244, 0.2190863625159820), (-0.4333953941292472, 0.2692667193099963),
         (-0.1488743389816312, 0.2955242247147529), (0.1488743389816312, 0.2955242247147529),
         (0.4333953941292472, 0.2692667193099963), (0.6794095682990244, 0.2190863625159820),
         (0.8650633666889845, 0.1494513491505806), (0.9739065285171717, 0.0666713443086881)]


def integral(f, a, b, panels=64):
    h = (b - a) / panels
    return sum(w * h / 2 * f(a + h * (i + 0.5 + x / 2)) for i in range(panels) for x, w in GAUSS)


def ellipse(major, minor, a, b):
    speed = lambda t: math.hypot(major * math.sin(t), minor * math.cos(t))
    return integral(speed, a, b)


def spline(s):
    knots = sorted(set(s.knots()))
    def speed(t):
        d = s.derivatives([t], 1)
        v = list(d)[0][1]
        return math.hypot(v.x, v.y)
    def sector(t):
        p, v = list(s.derivatives([t], 1))[0][:2]
        return 0.5 * (p.x * v.y - p.y * v.x)
    spans = list(zip(knots, knots[1:]))
    return (sum(integral(speed, a, b, 16) for a, b in spans), abs(sum(integral(sector, a, b, 16) for a, b in spans)))


class File:
    def __init__(self, insunits, unit):
        self.doc = ezdxf.new("R2010")
        self.doc.header["$INSUNITS"] = insunits
        self.unit = unit
        self.layers = {}
        self.msp = self.doc.modelspace()

    def expect(self, layer, count, length, area=0.0):
        if layer not in self.doc.layers:
            self.doc.layers.add(layer)
        self.layers[layer] = [count, length * self.unit, area * self.unit**2]
        return {"layer": layer}


def plain():
    f = File(4, 1e-3)
    m = f.msp
    m.add_line((1, 2), (4, 6), dxfattribs=f.expect("lines", 1, 5))
    m.add_circle((10, -3), 7.25, dxfattribs=f.expect("circles", 1, 2 * math.pi * 7.25, math.pi * 7.25**2))
    m.add_arc((0, 0), 12.5, 350, 35, dxfattribs=f.expect("arcs", 1, 12.5 * math.radians(45)))
    m.add_ellipse((3, 4), (20, 5), 0.4, dxfattribs=f.expect(
        "ellipses", 1, ellipse(math.hypot(20, 5), 0.4 * math.hypot(20, 5), 0, 2 * math.pi),
        math.pi * 0.4 * (20**2 + 5**2)))
    m.add_ellipse((0, 0), (8, 0), 0.25, 0.5, 2.75, dxfattribs=f.expect("ellipse arcs", 1, ellipse(8, 2, 0.5, 2.75)))
    points = [(0, 0), (10, 5, 0, 0, 0.5), (30, 5), (30, -20, 0, 0, -1.3), (0, -20)]
    length, area = 0, 0
    for i, p in enumerate(points):
        a, b = Vec2(p[:2]), Vec2(points[(i + 1) % len(points)][:2])
        bulge = p[4] if len(p) > 4 else 0
        area += 0.5 * (a.x * b.y - a.y * b.x)
        if bulge == 0:
            length += a.distance(b)
            continue
        turn = 4 * math.atan(bulge)
        radius = abs(a.distance(b) / (2 * math.sin(turn / 2)))
        length += radius * abs(turn)
        area += math.copysign(0.5 * radius**2 * (abs(turn) - math.sin(abs(turn))), bulge)
    m.add_lwpolyline(points, close=True, dxfattribs=f.expect("polylines", 1, length, abs(area)))
    m.add_polyline2d([(0, 0), (3, 0), (3, 4)], dxfattribs=f.expect("old polylines", 1, 7))
    control = [(0, 0), (10, 20), (25, -10), (40, 15), (50, 0), (60, 10)]
    m.add_open_spline([(x, y, 0) for x, y in control], degree=3, dxfattribs=f.expect(
        "splines", 1, spline(BSpline([(x, y, 0) for x, y in control], order=4))[0]))
    weights = [1, 2, 0.5, 3, 1, 1]
    rational = BSpline([(x, y, 0) for x, y in control], order=4, weights=weights)
    m.add_rational_spline([(x, y, 0) for x, y in control], weights, degree=3, dxfattribs=f.expect(
        "rational splines", 1, spline(rational)[0]))
    round_ = rational_bspline_from_arc(center=(5, 5), radius=9, start_angle=20, end_angle=200)
    entity = m.add_spline(dxfattribs=f.expect("arcs as splines", 1, 9 * math.pi))
    entity.apply_construction_tool(round_)
    m.add_text("not a curve")
    m.add_hatch()
    return f


def blocks():
    f = File(4, 1e-3)
    bore = f.doc.blocks.new("bore", base_point=(1, 1))
    bore.add_circle((1, 1), 2)
    bore.add_line((-1, 1), (3, 1))
    arm = f.doc.blocks.new("arm")
    arm.add_blockref("bore", (0, 0))
    arm.add_blockref("bore", (50, 0), dxfattribs={"xscale": 2, "yscale": 2})
    arm.add_arc((0, 0), 5, 90, 270)
    one, two = 4 * math.pi + 4, 8 * math.pi + 8
    f.msp.add_blockref("arm", (100, 20), dxfattribs={**f.expect(
        "nested", 5, one + two + 5 * math.pi, math.pi * 4 + math.pi * 16), "rotation": 33})
    # mirrored, and squeezed to an ellipse
    f.msp.add_blockref("bore", (-40, 10), dxfattribs={**f.expect("mirrored", 2, one, math.pi * 4), "xscale": -1})
    f.msp.add_blockref("bore", (0, 90), dxfattribs={**f.expect(
        "squeezed", 2, ellipse(6, 1, 0, 2 * math.pi) + 12, math.pi * 6), "xscale": 3, "yscale": 0.5, "rotation": 12})
    f.msp.add_blockref("bore", (0, -90), dxfattribs={**f.expect("rows", 12, 6 * one, 6 * math.pi * 4),
                                                   "row_count": 2, "column_count": 3, "row_spacing": 11,
                                                   "column_spacing": 13})
    # an arc seen from below
    f.msp.add_arc((5, 0), 4, 0, 90, dxfattribs={**f.expect("from below", 1, 2 * math.pi), "extrusion": (0, 0, -1)})
    return f


def inches():
    f = File(1, 0.0254)
    f.msp.add_line((0, 0), (3, 4), dxfattribs=f.expect("0", 1, 5))
    f.msp.add_circle((0, 0), 0.375, dxfattribs=f.expect("holes", 1, 0.75 * math.pi, math.pi * 0.375**2))
    return f


def annotated():
    """What stands about the curves: 'layers' holds what its lines measure."""
    f = File(4, 1e-3)
    f.msp.add_line((0, 0), (30, 0), dxfattribs={"layer": "part"})
    f.doc.layers.add("part")
    notes = f.expect("notes", 0, 0)
    f.msp.add_text("tie bar", height=3, dxfattribs=notes).set_placement((4, 5))
    f.msp.add_mtext("\\fArial;two\\Plines", dxfattribs={**notes, "char_height": 2.5, "insert": (1, 9)})
    # the line with the figure 12 below: two lines of 12 that lead to it, and one of 30
    f.msp.add_linear_dim(base=(0, -12), p1=(0, 0), p2=(30, 0), dxfattribs=f.expect("figures", 3, 54))
    hatch = f.msp.add_hatch(dxfattribs=f.expect("hatching", 4, 20 + 10 + 20 + 5 * math.pi))
    path = hatch.paths.add_edge_path()
    path.add_line((0, 0), (20, 0))
    path.add_arc((20, 5), radius=5, start_angle=-90, end_angle=90)
    path.add_line((20, 10), (0, 10))
    path.add_line((0, 10), (0, 0))
    return f


def many():
    f = File(4, 1e-3)
    attribs = f.expect("many", 100000, 100000 * math.hypot(0.5, 0.25))
    for i in range(100000):
        x, y = i % 400, i // 400
        f.msp.add_line((x, y), (x + 0.5, y + 0.25), dxfattribs=attribs)
    return f


if __name__ == "__main__":
    expected = {}
    for name, make in (("plain", plain), ("blocks", blocks), ("inches", inches), ("annotated", annotated), ("many", many)):
        made = make()
        made.doc.saveas(f"{sys.argv[1]}/{name}.dxf")
        expected[name] = {"unit": made.unit, "layers": made.layers}
    with open(f"{sys.argv[1]}/expected.json", "w") as out:
        json.dump(expected, out)
