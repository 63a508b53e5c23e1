from typing import Any
from unittest import TestCase

from brisk_core.spec import merge_documents

BASE: dict[str, Any] = {
    "id": "a",
    "name": "A",
    "lines": [{"id": "rate", "equals": 25}, {"id": "size", "equals": "1920x1080"}, {"id": "codec", "equals": "avc"}],
}


def changed(*, drop: str = "", add: dict[str, Any] | None = None, after: str = "", **lines: Any) -> dict[str, Any]:
    """The document with some lines at other values, one dropped, and one added after another."""
    rows = [dict(line) | ({"equals": lines[line["id"]]} if line["id"] in lines else {}) for line in BASE["lines"]]
    rows = [row for row in rows if row["id"] != drop]
    if add:
        rows.insert(next((at for at, row in enumerate(rows, 1) if row["id"] == after), 0), add)
    return BASE | {"lines": rows}


class MergeTest(TestCase):
    def test_each_takes_what_only_it_touched(self) -> None:
        found = merge_documents(BASE, changed(rate=30) | {"name": "B"}, changed(codec="hevc"))
        self.assertEqual([line["equals"] for line in found.document["lines"]], [30, "1920x1080", "hevc"])
        self.assertEqual((found.document["name"], found.taken, found.clashes), ("B", ("name", "line rate"), ()))

    def test_what_both_changed_their_own_way_is_kept_and_told(self) -> None:
        found = merge_documents(BASE, changed(rate=30), changed(rate=50))
        self.assertEqual(found.document["lines"][0]["equals"], 50)
        self.assertEqual((found.taken, found.clashes), ((), ("line rate",)))

    def test_the_same_change_of_both_is_none_of_either(self) -> None:
        found = merge_documents(BASE, changed(rate=30), changed(rate=30))
        self.assertEqual((found.document, found.taken, found.clashes), (changed(rate=30), (), ()))

    def test_lines_that_were_added_stand_where_they_were_put(self) -> None:
        found = merge_documents(
            BASE, changed(add={"id": "scan"}, after="rate"), changed(add={"id": "sound"}, after="codec")
        )
        self.assertEqual([line["id"] for line in found.document["lines"]], ["rate", "scan", "size", "codec", "sound"])
        first = merge_documents(BASE, changed(add={"id": "scan"}), changed(codec="hevc"))
        self.assertEqual(first.document["lines"][0], {"id": "scan"})

    def test_a_line_that_one_removed_is_gone_unless_the_other_changed_it(self) -> None:
        gone = merge_documents(BASE, changed(drop="size"), changed(rate=30))
        self.assertEqual(([line["id"] for line in gone.document["lines"]], gone.clashes), (["rate", "codec"], ()))
        own = merge_documents(BASE, changed(rate=30), changed(drop="size"))
        self.assertEqual([line["id"] for line in own.document["lines"]], ["rate", "codec"])
        both = merge_documents(BASE, changed(drop="size"), changed(size="1280x720"))
        self.assertEqual(
            ([line["id"] for line in both.document["lines"]], both.clashes), (["rate", "size", "codec"], ("line size",))
        )
        other = merge_documents(BASE, changed(size="1280x720"), changed(drop="size"))
        self.assertEqual(
            ([line["id"] for line in other.document["lines"]], other.clashes), (["rate", "codec"], ("line size",))
        )
