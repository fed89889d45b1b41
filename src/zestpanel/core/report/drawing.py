"""A picture as a list of simple shapes, drawn by the desk with a painter and by the report as SVG.

Colours are roles of the palette, never values; sizes are in pixels at 100 %.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from html import escape
from typing import Literal

Anchor = Literal["start", "middle", "end"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    x1: float
    y1: float
    x2: float
    y2: float
    colour: str = "rule"
    width: float = 1.0
    dashed: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Path:
    points: tuple[tuple[float, float], ...]
    colour: str = "ink"
    width: float = 1.5
    dashed: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    x: float
    y: float
    width: float
    height: float
    fill: str = "rule"
    strength: float = 1.0  # how much of the colour, over what lies beneath


@dataclass(frozen=True, slots=True, kw_only=True)
class Dot:
    """A point mark; hollow ones are drawn as an outline, squares for what is shown as a second kind."""

    x: float
    y: float
    radius: float = 4.0
    colour: str = "ink"
    hollow: bool = False
    square: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Text:
    x: float
    y: float  # baseline
    text: str
    colour: str = "ink"
    size: float = 12.0
    anchor: Anchor = "start"
    bold: bool = False
    serif: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Dots:
    """Many filled round marks of one look, about on one height."""

    points: tuple[tuple[float, float], ...] = field(repr=False)
    radius: float = 2.0
    colour: str = "wave"


Shape = Line | Path | Box | Dot | Dots | Text


def reach(shape: Shape) -> tuple[float, float]:
    """The least and the greatest y that a shape may touch."""
    match shape:
        case Line():
            return min(shape.y1, shape.y2) - shape.width, max(shape.y1, shape.y2) + shape.width
        case Path() | Dots():
            heights = [y for _, y in shape.points] or [0.0]
            rim = shape.width if isinstance(shape, Path) else shape.radius
            return min(heights) - rim, max(heights) + rim
        case Box():
            return shape.y, shape.y + shape.height
        case Dot():
            return shape.y - shape.radius - 1, shape.y + shape.radius + 1
        case Text():
            return shape.y - 1.2 * shape.size, shape.y + 0.5 * shape.size


@dataclass(frozen=True, slots=True, kw_only=True)
class Region:
    """A place that can be pointed at: says something, and may lead to a candidate, or to its cell with a passage."""

    x: float
    y: float
    width: float
    height: float
    says: str
    candidate_id: int | None = None
    passage_id: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Picture:
    width: float
    height: float
    shapes: tuple[Shape, ...] = field(repr=False)
    regions: tuple[Region, ...] = ()
    title: str = ""


def text_width(text: str, size: float) -> float:
    """Width of text in the shipped sans face, estimated (0.52 of the size a character)."""
    return 0.52 * size * len(text)


def to_svg(picture: Picture, palette: dict[str, str]) -> str:
    """The picture as an SVG element, to be set into a page. Text is escaped."""
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {picture.width:g} {picture.height:g}" '
        f'role="img" aria-label="{escape(picture.title)}">'
    ]
    for shape in picture.shapes:
        parts.append(_svg(shape, palette))
    for region in picture.regions:
        parts.append(
            f'<rect x="{region.x:.1f}" y="{region.y:.1f}" width="{region.width:.1f}" height="{region.height:.1f}" '
            f'fill="transparent"><title>{escape(region.says)}</title></rect>'
        )
    return "".join([*parts, "</svg>"])


def _svg(shape: Shape, palette: dict[str, str]) -> str:
    match shape:
        case Line():
            dash = ' stroke-dasharray="3 3"' if shape.dashed else ""
            return (
                f'<line x1="{shape.x1:.1f}" y1="{shape.y1:.1f}" x2="{shape.x2:.1f}" y2="{shape.y2:.1f}" '
                f'stroke="{palette[shape.colour]}" stroke-width="{shape.width:g}"{dash}/>'
            )
        case Path():
            dash = ' stroke-dasharray="5 4"' if shape.dashed else ""
            points = " ".join(f"{x:.1f},{y:.1f}" for x, y in shape.points)
            return (
                f'<polyline points="{points}" fill="none" stroke="{palette[shape.colour]}" '
                f'stroke-width="{shape.width:g}"{dash}/>'
            )
        case Box():
            return (
                f'<rect x="{shape.x:.1f}" y="{shape.y:.1f}" width="{shape.width:.1f}" height="{shape.height:.1f}" '
                f'fill="{palette[shape.fill]}"'
                + (f' fill-opacity="{shape.strength:.2f}"/>' if shape.strength < 1 else "/>")
            )
        case Dot():
            colour = palette[shape.colour]
            paint = f'fill="none" stroke="{colour}" stroke-width="1.5"' if shape.hollow else f'fill="{colour}"'
            if shape.square:
                side = 2 * shape.radius
                return (
                    f'<rect x="{shape.x - shape.radius:.1f}" y="{shape.y - shape.radius:.1f}" '
                    f'width="{side:g}" height="{side:g}" {paint}/>'
                )
            return f'<circle cx="{shape.x:.1f}" cy="{shape.y:.1f}" r="{shape.radius:g}" {paint}/>'
        case Dots():
            marks = (f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{shape.radius:g}"/>' for x, y in shape.points)
            return f'<g fill="{palette[shape.colour]}">{"".join(marks)}</g>'
        case Text():
            weight = ' font-weight="bold"' if shape.bold else ""
            family = ' class="serif"' if shape.serif else ""
            return (
                f'<text x="{shape.x:.1f}" y="{shape.y:.1f}" font-size="{shape.size:g}" text-anchor="{shape.anchor}" '
                f'fill="{palette[shape.colour]}"{weight}{family}>{escape(shape.text)}</text>'
            )
