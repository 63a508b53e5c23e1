"""Writes docs/characteristics.md from the registry, or says that it is stale.

``--write`` writes it; without, the status is 1 when the file differs from what the registry gives.
"""

import sys
from pathlib import Path

from brisk_core.facts import REGISTRY, Group, Witness

TARGET = Path(__file__).resolve().parent.parent / "docs" / "characteristics.md"
HEAD = """# Characteristics

Made from the registry by `scripts/check_characteristics.py --write`; do not edit. Witnesses: D declared by the
wrapper, C coded in the stream's headers, O observed in packets, pictures and samples. "Judged by" says which witnesses
a line of a spec is held against when it does not name any.
"""
LETTERS = {Witness.DECLARED: "D", Witness.CODED: "C", Witness.OBSERVED: "O"}


def document() -> str:
    """Return the page."""
    parts = [HEAD]
    for group in Group:
        parts += [
            f"\n## {group.value}\n",
            "| id | label | type | witnesses | judged by | definition | standard |",
            "|---|---|---|---|---|---|---|",
        ]
        for row in REGISTRY.values():
            if row.group is not group:
                continue
            kind = ", ".join(row.choices) or row.kind.value + (f", {row.unit}" if row.unit else "")
            kind += ", per track" if row.per_track else ""
            letters = "".join(LETTERS[witness] for witness in Witness if witness in row.witnesses)
            cells = (f"`{row.id}`", row.label, kind, letters, row.judged_by.value, row.definition, row.standard)
            parts.append(f"| {' | '.join(cells)} |")
    return "\n".join(parts) + "\n"


def main() -> int:
    """Write or compare."""
    made = document()
    if "--write" in sys.argv:
        TARGET.write_text(made, encoding="utf-8")
        return 0
    if not TARGET.exists() or TARGET.read_text(encoding="utf-8") != made:
        sys.stderr.write(f"{TARGET} is stale; run scripts/check_characteristics.py --write\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
