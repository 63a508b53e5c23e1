from __future__ import annotations

import io
from unittest import mock

import pycdlib

from brisk_core.handoff import Item, make_image
from brisk_core.handoff.copying import CopyRefused
from brisk_core.handoff.tests.test_packages import FolderCase


class ImageTest(FolderCase):
    def test_every_file_is_there_under_both_kinds_of_name_with_a_list(self) -> None:
        image = self.folder / "disc.iso"
        digests = make_image(image, self.items, "CANAL_VISITORS")
        self.assertEqual(set(digests), {"master.mxf", "captions/en.srt", "été – ünï.txt"})
        iso = pycdlib.PyCdlib()
        iso.open(str(image))
        self.addCleanup(iso.close)
        for item in self.items:
            for kind in ("joliet_path", "udf_path"):
                out = io.BytesIO()
                iso.get_file_from_iso_fp(out, **{kind: f"/{item.path}"})
                self.assertEqual(out.getvalue(), item.source.read_bytes(), (kind, item.path))
        listed = io.BytesIO()
        iso.get_file_from_iso_fp(listed, udf_path="/manifest.sha256")
        self.assertIn(f"{digests['master.mxf']}  master.mxf", listed.getvalue().decode())
        content = image.read_bytes()
        self.assertEqual(len(content) % 2048, 0)
        self.assertEqual(content[16 * 2048 + 1 : 16 * 2048 + 6], b"CD001")  # ECMA-119, 8.4
        self.assertIn(b"CANAL_VISITORS", content[16 * 2048 : 17 * 2048])
        self.assertIn(b"NSR0", content[: 32 * 2048])  # ECMA-167: a UDF is there as well

    def test_what_no_disc_holds_is_said_and_nothing_is_left(self) -> None:
        source = self.items[0].source
        for items, label, says in (
            (self.items, "canal", "capital letters"),
            (self.items, "", "capital letters"),
            ([*self.items, Item(source=source, path="MASTER.MXF")], "A", "one name"),
            ([Item(source=source, path="Manifest.sha256")], "A", "name of the list"),
            ([Item(source=source, path="x" * 65)], "A", "65 signs"),
        ):
            with self.subTest(says), self.assertRaisesRegex(CopyRefused, says):
                make_image(self.folder / "disc.iso", items, label)
        with (
            mock.patch("brisk_core.handoff.image.LARGEST_FILE", 10),
            self.assertRaisesRegex(CopyRefused, "files up to"),
        ):
            make_image(self.folder / "disc.iso", self.items, "A")
        with (
            mock.patch("brisk_core.handoff.image._digest_inside", return_value="0"),
            self.assertRaisesRegex(CopyRefused, "reads back"),
        ):
            make_image(self.folder / "disc.iso", self.items, "A")
        self.assertEqual([path.name for path in self.folder.iterdir()], ["shelf"])
        (self.folder / "disc.iso").touch()
        with self.assertRaisesRegex(CopyRefused, "nothing is overwritten"):
            make_image(self.folder / "disc.iso", self.items, "A")
