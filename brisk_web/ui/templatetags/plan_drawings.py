"""The answers of plans as drawings: bars, frames to scale, rows of tables."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from typing import Any

from django import template

from brisk_core.exact import spell_bytes, spell_seconds

register = template.Library()


@register.filter
def cap_bar(found: dict[str, Any]) -> dict[str, Any]:
    """The parts of a plan of bits on a bar of 1000 units, for a drawing: x, width, kind and words of each."""
    parts = []
    for row in found["files"]:
        picture = row["picture_rate"] * row["frames"] / Fraction(row["rate"]) / 8
        parts.append(("picture", f"{row['name']}, picture", picture))
        parts.append(("rest", f"{row['name']}, sound, texts and wrapper", row["size"] - picture))
    words = f"{spell_bytes(found['size'])} of a cap of {spell_bytes(found['cap'])}"
    return _bar(parts, cap=found["cap"], used=found["size"], words=words)


def _bar(parts: Iterable[tuple[str, str, Fraction | int]], *, cap: int, used: int, words: str) -> dict[str, Any]:
    """Parts (kind, words, bytes) beside each other on a bar of 1000 units, as long as the cap or what is used."""
    whole, at = max(cap, used), 0.0
    drawn = []
    for kind, said, size in parts:
        width = float(1000 * size / whole)
        told = f"{said}: {spell_bytes(int(size))}"
        drawn.append({"x": f"{at:.2f}", "width": f"{width:.2f}", "kind": kind, "words": told})
        at += width
    return {"parts": drawn, "cap": f"{min(1000 * cap / whole, 999):.2f}", "words": words}


@register.filter
def length_of_material(found: dict[str, Any]) -> str:
    """The length of all material of a plan of rates."""
    rows = found["targets"][0]["sources"]
    return spell_seconds(sum((Fraction(str(row["seconds"])) for row in rows), Fraction(0)))


@register.filter
def size_bars(found: dict[str, Any]) -> list[tuple[dict[str, Any], dict[str, str] | None]]:
    """The rows of a plan of sizes, each with its bar of 1000 units: what is sure, what may be more, what is free."""
    whole = max([row["most"] or 0 for row in found["sizes"]] + [1])
    free = found["free"]
    bars: list[tuple[dict[str, Any], dict[str, str] | None]] = []
    for row in found["sizes"]:
        bar = None
        if row["most"] is not None:
            least, most = 1000 * row["least"] / whole, 1000 * row["most"] / whole
            bar = {"least": f"{least:.2f}", "more": f"{most - least:.2f}"}
            if free is not None and free < whole:
                bar["free"] = f"{1000 * free / whole:.2f}"
        bars.append((row, bar))
    return bars


@register.filter
def framing(row: dict[str, Any]) -> dict[str, Any]:
    """A row of an order drawn to scale: where the source lies in the row's frame, and what of the source stays."""
    high = 72.0

    def box(area: dict[str, float], width: float, height: float) -> dict[str, str]:
        told = (area["x"] * width, area["y"] * height, area["width"] * width, area["height"] * height)
        return dict(zip(("x", "y", "width", "height"), (f"{one:.2f}" for one in told), strict=True))

    wide = high * float(Fraction(row["shape"]))
    source = wide * row["fitted"]["width"] / (high * row["fitted"]["height"])  # width over height of the source
    keep = box(row["kept"], high * source, high)
    outer = f"M0 0H{high * source:.2f}V{high}H0Z"
    inner = f"M{keep['x']} {keep['y']}h{keep['width']}v{keep['height']}h-{keep['width']}Z"
    return {
        "width": f"{wide:.2f}",
        "height": f"{high:.0f}",
        "fit": box(row["fitted"], wide, high),
        "source_width": f"{high * source:.2f}",
        "source_height": f"{high:.0f}",
        "keep": keep,
        "lost": outer + inner,
        "cuts": row["kept"]["width"] < 1 or row["kept"]["height"] < 1,
    }


@register.filter
def disc_bar(capacity: dict[str, Any]) -> dict[str, Any]:
    """What stands on a disc on a bar of 1000 units: x, width, kind and words of each part."""
    parts = [("picture" if row["kind"] == "clip" else "rest", row["name"], row["bytes"]) for row in capacity["items"]]
    words = f"{spell_bytes(capacity['used'])} of {spell_bytes(capacity['bytes'])}"
    other = ("rest", "others", capacity["other"])
    return _bar([*parts, other], cap=capacity["bytes"], used=capacity["used"], words=words)


@register.filter
def disc_rows(found: dict[str, Any]) -> list[dict[str, Any]]:
    """The clips and screens of a disc, each with what it takes and, for a clip, what is known of it."""
    clips = {one["item"]: one for one in found["clips"]}
    return [row | {"clip": clips.get(row["item"])} for row in found["capacity"]["items"]]
