"""What the cuts of an edit and the pictures of a master say of one file, brought together before anybody reads it.

Cuts alone take two shots that changed places for one that is too short and one that is too long; pictures know better.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from brisk_core.facts import Held, keys

_STATES = {"early": "shifted", "late": "shifted", "sped": "trimmed"}


def brought_together(held: Mapping[str, Held]) -> dict[str, Held]:
    """Return what is held of a file, the faults of its cuts in the words of its pictures where both speak of one edit.

    Where the pictures are the master's and the cuts are not the edit's, both stand: the master is of another edit.
    """
    found = dict(held)
    cuts, shots, told = (found.get(key.id) for key in (keys.EDIT_CUTS, keys.EDIT_SHOTS, keys.MASTER_MAP))
    if cuts is None or shots is None or told is None or cuts.right is None or told.right is not False:
        return found
    rows = told.document.get("shots", []) if isinstance(told.document, dict) else []
    if not any(row["name"] for row in rows):
        return found
    rows = [row for row in rows if not row["outside"]]
    counts = Counter(_state(row) for row in rows)
    if set(counts) <= {"in place"}:
        return found  # single frames are at fault, of which cuts say nothing
    faults = tuple(one for one in told.sentences if one.fault)
    found[keys.EDIT_CUTS.id] = replace(cuts, right=False, sentences=faults, look=False)
    found[keys.EDIT_SHOTS.id] = replace(
        shots,
        right=False,
        found=", ".join(f"{count} {state}" for state, count in counts.items()),
        document=[
            {"event": row["name"], "number": row["number"], "state": _state(row), "start": row["file_start"]}
            for row in rows
        ],
        sentences=faults,
    )
    return found


def _state(row: Mapping[str, Any]) -> str:
    return _STATES.get(str(row["state"]), str(row["state"]))
