"""Making of the sample files: once, kept by content, in two processes."""

from __future__ import annotations

import hashlib
import multiprocessing
import os
import shutil
from collections import defaultdict
from collections.abc import Iterator, Sequence
from pathlib import Path

import av

from brisk_core.samples import timelines
from brisk_core.samples.captions import write_captions
from brisk_core.samples.drawings import DRAWINGS
from brisk_core.samples.encode import Encoder, rewrap
from brisk_core.samples.foyer import write_foyer
from brisk_core.samples.picture import Drawn
from brisk_core.samples.programme import LENGTH
from brisk_core.samples.renders import RENDERS, Recipe
from brisk_core.samples.stems import write_stems

_MAKERS = (
    "programme",
    "picture",
    "drawings",
    "sound",
    "encode",
    "renders",
    "timelines",
    "captions",
    "stems",
    "foyer",
)  # modules that decide what is in the files


def content_key() -> str:
    """Return a key that changes with the code that draws and encodes, and with the encoding library."""
    digest = hashlib.sha256(av.__version__.encode())
    for name in _MAKERS:
        digest.update((Path(__file__).parent / f"{name}.py").read_bytes())
    return digest.hexdigest()[:16]


def frame_count(recipe: Recipe) -> int:
    """Return how many frames a render has."""
    return round(LENGTH * recipe.settings.rate) + recipe.extra_frames


def _pictures(recipes: Sequence[Recipe], frames: int) -> Iterator[Drawn]:
    size, rate, drawing = recipes[0].drawing
    for number in range(frames):
        yield DRAWINGS[drawing](number, rate, size)


def _build_group(job: tuple[list[Recipe], Path]) -> None:
    recipes, folder = job
    counts = {recipe.name: frame_count(recipe) for recipe in recipes}
    encoders = {
        recipe.name: Encoder(folder / recipe.name, recipe.settings, counts[recipe.name] / recipe.settings.rate)
        for recipe in recipes
    }
    for number, drawn in enumerate(_pictures(recipes, max(counts.values()))):
        for name, encoder in encoders.items():
            if number < counts[name]:
                encoder.take(drawn)
    for encoder in encoders.values():
        encoder.close()


def build_samples(folder: Path) -> Path:
    """Make every render and timeline under ``folder`` unless they are there; return the folder that holds them."""
    ready = folder / f"samples-{content_key()}"
    if ready.is_dir():
        return ready
    # Two starts at once build side by side, the first one counts.
    unfinished = folder / f"{ready.name}.{os.getpid()}.part"
    unfinished.mkdir(parents=True)
    groups: dict[object, list[Recipe]] = defaultdict(list)
    for recipe in RENDERS:
        if not recipe.rewraps:
            groups[recipe.drawing].append(recipe)
    jobs = [(recipes, unfinished) for recipes in sorted(groups.values(), key=len, reverse=True)]
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        foyer = pool.apply_async(write_foyer, (unfinished,))
        pool.map(_build_group, jobs, chunksize=1)
        foyer.get()
    for recipe in RENDERS:
        if recipe.rewraps:
            rewrap(unfinished / recipe.rewraps, unfinished / recipe.name, recipe.settings)
    write_captions(unfinished)
    write_stems(unfinished)
    timelines.write_wide(unfinished / timelines.WIDE_EDIT)
    timelines.write_tall(unfinished / timelines.TALL_EDIT)
    try:
        unfinished.rename(ready)
    except OSError:
        shutil.rmtree(unfinished)
    for old in folder.glob("samples-*"):
        if old != ready and old.suffix != ".part":
            shutil.rmtree(old, ignore_errors=True)
    return ready
