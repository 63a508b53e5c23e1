"""Changes the code in small ways, one at a time, and tells which changes no test notices.

    python scripts/mutate.py [--count 200] [--seed 1] [--jobs 2] [--only brisk_core/spec/judge.py]

Each mutant is made in a copy of the code and the tests beside it are run; a mutant that lets them pass has survived.
Those of the web (``--only brisk_web`` takes them all) want a database server at ``DATABASE_URL``, where each job makes
a database of its own.
Places are drawn with the seed from comparisons, arithmetic, constants, conditions and calls that are told to be quiet.
Prints every survivor as a line of difference, and the share that was killed.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

REPOSITORY = Path(__file__).resolve().parent.parent
#: What is mutated of the core, and the tests that must notice: those that need neither a database nor much media.
CORE: dict[str, tuple[str, ...]] = {
    "brisk_core/exact/rates.py": ("brisk_core.exact.tests.test_rates",),
    "brisk_core/exact/timecode.py": ("brisk_core.exact.tests.test_timecode",),
    "brisk_core/exact/bits.py": ("brisk_core.exact.tests.test_amounts",),
    "brisk_core/exact/durations.py": ("brisk_core.exact.tests.test_amounts",),
    "brisk_core/exact/sizes.py": ("brisk_core.exact.tests.test_amounts",),
    "brisk_core/exact/whole.py": ("brisk_core.exact.tests.test_whole",),
    "brisk_core/spec/judge.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/conditions.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/line.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/condition_reader.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/span_conditions.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/values.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/document.py": ("brisk_core.spec.tests",),
    "brisk_core/spec/patterns.py": ("brisk_core.spec.tests.test_document",),
    "brisk_core/captions/rules.py": ("brisk_core.captions.tests.test_rules",),
    "brisk_core/captions/placing.py": ("brisk_core.captions.tests.test_rules",),
    "brisk_core/captions/subrip.py": ("brisk_core.captions.tests.test_readers",),
    "brisk_core/meters/loudness.py": ("brisk_core.meters.tests.test_sound",),
    "brisk_core/edit/ranges.py": ("brisk_core.edit.tests.test_edits",),
    "brisk_core/edit/rate_change.py": ("brisk_core.edit.tests.test_sources",),
}
_ROLES = "brisk_web.pages.tests.test_doors.DoorTest.test_what_writes_lets_in_whom_it_should_and_nobody_below"
_CHANGING = "brisk_web.pages.tests.test_changing"
#: The same of the web: what decides, and the labels of tests beside it.
WEB: dict[str, tuple[str, ...]] = {
    "brisk_web/work/kernel.py": ("brisk_web.work",),
    "brisk_web/work/sweep.py": ("brisk_web.work",),
    "brisk_web/house/chain.py": ("brisk_web.house",),
    "brisk_web/house/services.py": ("brisk_web.house", "brisk_web.decisions"),
    "brisk_web/accounts/roles.py": ("brisk_web.accounts", _ROLES),
    "brisk_web/accounts/zones.py": ("brisk_web.accounts",),
    "brisk_web/storage/services.py": ("brisk_web.storage",),
    "brisk_web/jobs/services.py": ("brisk_web.jobs", _CHANGING),
    "brisk_web/jobs/suggestions.py": ("brisk_web.jobs",),
    "brisk_web/checks/services.py": ("brisk_web.checks", "brisk_web.decisions", "brisk_web.masters"),
    "brisk_web/decisions/services.py": ("brisk_web.decisions",),
    "brisk_web/shelf/services.py": ("brisk_web.shelf",),
    "brisk_web/edits/services.py": ("brisk_web.edits", _CHANGING),
    "brisk_web/captions/services.py": ("brisk_web.captions",),
    "brisk_web/masters/services.py": ("brisk_web.masters",),
    "brisk_web/stems/services.py": ("brisk_web.stems",),
    "brisk_web/inspections/finding.py": ("brisk_web.storage.tests.test_searching",),
    "brisk_web/handoff/states.py": ("brisk_web.decisions", "brisk_web.telling"),
    "brisk_web/telling/dates.py": ("brisk_web.telling",),
    "brisk_web/telling/hooks.py": ("brisk_web.telling",),
    "brisk_web/telling/services.py": ("brisk_web.telling",),
}
TARGETS = CORE | WEB
_COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add, ast.Div: ast.Mult, ast.FloorDiv: ast.Mult}
_LIMIT = 20  # numbers from which one more makes no difference that matters, such as seconds of a pause
_LIMIT_S = 300  # a mutant that hangs is killed


@dataclass(frozen=True, slots=True, kw_only=True)
class Mutant:
    """One small change."""

    file: str
    line: int  #: of the original
    before: str
    after: str
    text: str  #: of the whole changed file


def _changed(node: ast.AST) -> ast.AST | None:
    """Return what takes a node's place, ``None`` for a node that stays."""
    kept = {name: getattr(node, name) for name in node._fields}
    if isinstance(node, ast.Compare) and type(node.ops[0]) in _COMPARED:
        return ast.Compare(**kept | {"ops": [_COMPARED[type(node.ops[0])](), *node.ops[1:]]})
    if isinstance(node, ast.BinOp) and type(node.op) in _COUNTED and not isinstance(node.left, ast.Constant):
        return ast.BinOp(**kept | {"op": _COUNTED[type(node.op)]()})
    if isinstance(node, ast.BoolOp):
        return ast.BoolOp(**kept | {"op": ast.Or() if isinstance(node.op, ast.And) else ast.And()})
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        return node.operand
    if isinstance(node, ast.Constant) and isinstance(node.value, bool):
        return ast.Constant(not node.value)
    if isinstance(node, ast.Constant) and isinstance(node.value, int):
        return ast.Constant(node.value + 1 if abs(node.value) < _LIMIT else node.value * 2)
    if isinstance(node, ast.If):
        return ast.If(**kept | {"test": ast.Constant(False)})
    if isinstance(node, ast.Return) and node.value is not None and not isinstance(node.value, ast.Constant):
        return ast.Return(ast.Constant(None))
    return None


class _Put(ast.NodeTransformer):
    def __init__(self, place: ast.AST, instead: ast.AST) -> None:
        self.place, self.instead = place, instead

    def visit(self, node: ast.AST) -> ast.AST:
        return self.instead if node is self.place else super().generic_visit(node)


#: Rows that stay: sentences of errors and of logs, and what is only for type checkers or for reading.
_LEFT_ALONE = ("assert", "raise", "log.", "says", 'f"', "TYPE_CHECKING", "annotations", "frozen=", "Literal")


def places_of(file: str) -> list[int]:
    """Return the places of a file that can be changed, as numbers in the order of the tree."""
    source = (REPOSITORY / file).read_text(encoding="utf-8")
    rows = source.splitlines()
    return [
        number
        for number, node in enumerate(ast.walk(ast.parse(source)))
        if _changed(node) is not None and not any(words in rows[node.lineno - 1] for words in _LEFT_ALONE)  # type: ignore[attr-defined]
    ]


def mutant_at(file: str, number: int) -> Mutant:
    """Return the mutant of one place."""
    tree = ast.parse((REPOSITORY / file).read_text(encoding="utf-8"))
    place = list(ast.walk(tree))[number]
    before, instead = ast.unparse(place), _changed(place)
    assert instead is not None  # noqa: S101 - it is one of the places
    after = ast.unparse(ast.fix_missing_locations(ast.copy_location(instead, place)))
    line: int = place.lineno  # type: ignore[attr-defined]
    text = ast.unparse(ast.fix_missing_locations(_Put(place, instead).visit(tree)))
    return Mutant(file=file, line=line, before=before.split("\n")[0], after=after.split("\n")[0], text=text)


@dataclass(frozen=True, slots=True, kw_only=True)
class Copy:
    """A copy of the code in which one mutant at a time is tried."""

    folder: Path
    number: int

    def survives(self, mutant: Mutant) -> bool:
        """Run the tests with one change; return whether they pass."""
        target = self.folder / mutant.file
        original = target.read_text(encoding="utf-8")
        target.write_text(mutant.text, encoding="utf-8")
        try:
            return all(map(self._passes, _commands(mutant.file)))
        except subprocess.TimeoutExpired:
            return False
        finally:
            target.write_text(original, encoding="utf-8")

    def _passes(self, command: list[str]) -> bool:
        address = f"{os.environ['DATABASE_URL']}_mutants_{self.number}" if "DATABASE_URL" in os.environ else ""
        place = os.environ | {"DATABASE_URL": address, "BRISK_DATA": str(self.folder / "data")}
        asked = subprocess.run(command, cwd=self.folder, env=place, capture_output=True, timeout=_LIMIT_S, check=False)
        return asked.returncode == 0


def _commands(file: str) -> list[list[str]]:
    """What runs the tests that must notice a change of a file."""
    tests = TARGETS[file]
    if file in WEB:
        return [[sys.executable, "manage.py", "test", "--keepdb", "--noinput", "--failfast", "--parallel", "1", *tests]]
    packages = [name for name in tests if name.endswith(".tests")]
    modules = [name for name in tests if name not in packages]
    commands = [[sys.executable, "-m", "unittest", "-q", "-f", *modules]] if modules else []
    return commands + [
        [sys.executable, "-m", "unittest", "discover", "-q", "-f", "-s", name.replace(".", "/"), "-t", "."]
        for name in packages
    ]


def _wanted(asked: list[str] | None) -> list[str]:
    """The files to change: those that were named, or lie in a folder that was; all of the core by default."""
    if not asked:
        return sorted(CORE)
    return sorted(file for file in TARGETS if any(file == one or file.startswith(f"{one}/") for one in asked))


def main() -> int:
    """Draw mutants, try them, print what survived."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--only", action="append", metavar="FILE OR FOLDER", help="such as brisk_web")
    asked = parser.parse_args()
    files = _wanted(asked.only)
    if not files:
        parser.error(f"expected files or folders of {', '.join(sorted(TARGETS))}")
    if any(file in WEB for file in files) and "DATABASE_URL" not in os.environ:
        parser.error("mutants of the web want DATABASE_URL, the address of a database server")
    choose = random.Random(asked.seed)  # noqa: S311 - a draw that can be repeated
    share = -(-asked.count // len(files))
    drawn: list[Mutant] = []
    for file in files:
        places = places_of(file)
        drawn += [mutant_at(file, number) for number in choose.sample(places, min(share, len(places)))]
    drawn = drawn[: asked.count]
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(asked.jobs) as pool:
        free = [_copied(Path(folder) / str(number), number) for number in range(asked.jobs)]

        def attempt(mutant: Mutant) -> bool:
            copy = free.pop()
            try:
                return copy.survives(mutant)
            finally:
                free.append(copy)

        survived = 0
        for mutant, lived in zip(drawn, pool.map(attempt, drawn), strict=True):
            if lived:
                survived += 1
                print(f"survived  {mutant.file}:{mutant.line}  {mutant.before}  ->  {mutant.after}", flush=True)
    killed = len(drawn) - survived
    print(f"{killed} of {len(drawn)} mutants were killed ({100 * killed / max(len(drawn), 1):.0f} %)")
    return 0


def _copied(folder: Path, number: int) -> Copy:
    """Copy the code into a folder."""
    for package in ("brisk_core", "brisk_web", "brisk_standins"):
        shutil.copytree(REPOSITORY / package, folder / package, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(REPOSITORY / "manage.py", folder)
    (folder / "data" / "static").mkdir(parents=True)
    return Copy(folder=folder, number=number)


if __name__ == "__main__":
    sys.exit(main())
