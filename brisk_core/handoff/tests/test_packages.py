"""Packages: made whole or not at all, read by the open tools, and verified against every change."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import shutil
import subprocess
import tempfile
import unicodedata
import warnings
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase, mock

import bagit  # type: ignore[import-untyped]
import xxhash
from ascmhl import errors as mhl_errors  # type: ignore[import-untyped]
from ascmhl.commands import verify_entire_folder  # type: ignore[import-untyped]

from brisk_core.handoff import Item, copy_verified, digests_of, make_package, read_manifest, safe_path, verify_package
from brisk_core.handoff.copying import CopyRefused
from brisk_core.handoff.manifests import ManifestRefused, list_text


def open_verifier(folder: Path) -> None:
    """Verify a folder with the working group's own package, which warns of how it reads patterns."""
    with (
        contextlib.redirect_stdout(io.StringIO()),
        contextlib.redirect_stderr(io.StringIO()),
        warnings.catch_warnings(),
    ):
        warnings.simplefilter("ignore", DeprecationWarning)
        verify_entire_folder(str(folder), False, None, None)


class FolderCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.items = []
        for name, size in (("master.mxf", 3_000_000), ("captions/en.srt", 40), ("été – ünï.txt", 0)):
            source = self.folder / "shelf" / name
            source.parent.mkdir(parents=True, exist_ok=True)
            source.write_bytes(bytes(number * 7 % 251 for number in range(size)))
            self.items.append(Item(source=source, path=name))

    def make(self, *manifests: str) -> Path:
        made = self.folder / "package"
        make_package(made, self.items, manifests or ("mhl", "md5"), author="Wanda Wherry")
        return made


class CopyTest(FolderCase):
    def test_a_copy_is_verified_and_overwrites_nothing(self) -> None:
        source, target = self.items[0].source, self.folder / "out" / "a.mxf"
        told: list[int] = []
        copied = copy_verified(source, target, ["md5", "sha256"], told=told.append)
        self.assertEqual(copied.digests["md5"], hashlib.md5(source.read_bytes()).hexdigest())  # noqa: S324
        self.assertEqual(told[-1], copied.size)
        with self.assertRaisesRegex(CopyRefused, "nothing is overwritten"):
            copy_verified(source, target, ["md5"])
        self.assertEqual([path.name for path in target.parent.iterdir()], ["a.mxf"])

    def test_a_name_that_is_taken_while_the_copy_is_written_stays_as_it_is(self) -> None:
        target = self.folder / "a.mxf"
        with self.assertRaisesRegex(CopyRefused, "nothing is overwritten"):
            copy_verified(self.items[0].source, target, ["md5"], told=lambda _: target.write_text("somebody's"))
        self.assertEqual(target.read_text(), "somebody's")
        self.assertEqual(list(self.folder.glob("*.part")) + list(self.folder.glob(".*.part")), [])

    def test_another_source_a_disk_that_lies_and_a_stop_leave_nothing(self) -> None:
        source, target = self.items[0].source, self.folder / "a.mxf"

        def stop(_: int) -> None:
            raise InterruptedError

        def lie(path: Path, *_: object) -> object:
            path.write_bytes(b"x" + path.read_bytes()[1:])
            return digests_of(path, ["md5"])

        with self.assertRaisesRegex(CopyRefused, "is not what it was"):
            copy_verified(source, target, [], expected=("md5", "0" * 32))
        with self.assertRaises(InterruptedError):
            copy_verified(source, target, ["md5"], told=stop)
        with (
            mock.patch("brisk_core.handoff.copying.digests_of", lie),
            self.assertRaisesRegex(CopyRefused, "reads back"),
        ):
            copy_verified(source, target, ["md5"])
        self.assertEqual([path.name for path in self.folder.iterdir()], ["shelf"])


class ManifestTest(FolderCase):
    def test_lists_are_read_by_the_tools_of_the_system(self) -> None:
        made = self.make("md5", "sha256", "xxh128")
        for tool, kind in (("md5sum", "md5"), ("sha256sum", "sha256")):
            subprocess.run([tool, "--check", "--strict", f"manifest.{kind}"], cwd=made, check=True, capture_output=True)
        self.assertEqual(len(read_manifest(made / "manifest.xxh128")), 3)

    def test_names_with_line_breaks_and_backslashes_come_back(self) -> None:
        path = self.folder / "a.md5"
        path.write_text(list_text({"a\\b\nc": "0" * 32, "plain": "1" * 32}), encoding="utf-8")
        self.assertEqual([one.path for one in read_manifest(path)], ["a/b\nc", "plain"])

    def test_lists_as_other_programs_write_them(self) -> None:
        md5, sha256 = "AB" * 16, "cd" * 32
        for name, content, expected in (
            ("film.mov.md5", f"{md5}\r\n", ("film.mov", md5.lower())),
            ("film.mov.md5", f"; by hand\r\n\r\n{md5} *film.mov\r\n", ("film.mov", md5.lower())),
            ("a.md5", f"MD5 (in/a film (1).mov) = {md5}\n", ("in/a film (1).mov", md5.lower())),
            ("a.sha256", f"SHA256 (film.mov) = {sha256}\n", ("film.mov", sha256)),
        ):
            path = self.folder / name
            path.write_text(content, encoding="utf-8")
            self.assertEqual([(one.path, one.digest) for one in read_manifest(path)], [expected], content)
        made = subprocess.run(["md5sum", "--tag", "--", path.name], cwd=self.folder, check=True, capture_output=True)
        (self.folder / "tagged.md5").write_bytes(made.stdout)
        self.assertEqual(read_manifest(self.folder / "tagged.md5")[0].path, "a.sha256")

    def test_what_is_no_list_is_said(self) -> None:
        doctype = '<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "b">]><hashlist xmlns="urn:ASC:MHL:v2.0"/>'
        other = '<hashlist xmlns="urn:ASC:MHL:v2.0"><hashes><hash><path>../../etc/x</path><md5>a</md5></hash></hashes></hashlist>'
        first = '<hashlist version="1.1"><hash>{}</hash></hashlist>'
        for name, content, says in (
            ("a.md5", "0123  x\n", "line 1 of a.md5"),
            ("a.md5", f"SHA256 (x) = {'0' * 64}\n", "line 1 of a.md5"),
            ("a.md5", f"MD5 (../x) = {'0' * 32}\n", "inside the folder"),
            ("a.md5", f"{'0' * 31}\n", "line 1 of a.md5"),
            ("a.md5", f"{'0' * 32}  ../x\n", "inside the folder"),
            ("a.md5", f"{'0' * 32}  /etc/x\n", "inside the folder"),
            ("a.md5", "\xff\xfe", "no text in UTF-8"),
            ("a.mhl", "<hashlist/>", "expected a hash list of ASC MHL"),
            ("a.mhl", '<hashlist version="3.0"/>', "expected a hash list of ASC MHL"),
            ("a.mhl", first.format("<file>x</file><xxhash>123</xxhash>"), "x has no digest that this engine checks"),
            ("a.mhl", first.format("<file>x</file><md5>12</md5>"), "met '12' as the md5 of x"),
            ("a.mhl", first.format(f"<file>../x</file><md5>{'0' * 32}</md5>"), "inside the folder"),
            ("a.mhl", "nothing", "is no XML"),
            ("a.mhl", '<?xml version="1.0" encoding="UTF-0"?><hashlist/>', "is no XML"),
            ("a.mhl", doctype, "document type"),
            ("a.mhl", other, "inside the folder"),
            ("a.crc", "", "expected .md5"),
        ):
            with self.subTest(content[:30]):
                path = self.folder / name
                path.write_bytes(content.encode("latin-1"))
                with self.assertRaisesRegex(ManifestRefused, says):
                    read_manifest(path)
        for text in ("", "/a", "..", "a/../b", "C:\\x", "\\\\server\\x", "a\0b"):
            with self.assertRaises(ManifestRefused):
                safe_path(text)


class PackageTest(FolderCase):
    def test_each_kind_is_verified_by_us_and_by_the_open_tools(self) -> None:
        made = self.make("mhl", "md5")
        self.assertEqual((verify_package(made).right, verify_package(made).says), (True, "6 of 6 files as listed"))
        open_verifier(made)  # raises where a hash or a file differs
        bag = self.folder / "bag"
        make_package(bag, self.items, ["bagit"])
        bagit.Bag(str(bag)).validate()
        self.assertTrue(verify_package(bag).right)

    def test_hash_lists_before_asc_mhl(self) -> None:
        """Hash lists of MHL 1.0 and 1.1, as cameras' cards come with, have no namespace and say sizes in elements."""
        for version, tag, made in (
            ("1.0", "md5", hashlib.md5),
            ("1.1", "sha1", hashlib.sha1),
            ("1.1", "xxhash64be", xxhash.xxh64),
        ):
            folder = self.folder / f"{version}-{tag}"
            hashes = ""
            for name in ("clips/A 001.mov", "clips/été.mov"):
                (folder / name).parent.mkdir(parents=True, exist_ok=True)
                (folder / name).write_bytes(name.encode() * 1000)
                size, digest = (folder / name).stat().st_size, made((folder / name).read_bytes()).hexdigest()
                hashes += (
                    f"<hash><file>{name}</file><size>{size}</size><lastmodificationdate>2026-11-30T08:00:00Z"
                    f"</lastmodificationdate><{tag}>{digest}</{tag}><hashdate>2026-11-30T09:00:00Z</hashdate></hash>"
                )
            creator = "<creatorinfo><name>Otto</name><startdate>2026-11-30T09:00:00Z</startdate></creatorinfo>"
            listed = f'<?xml version="1.0" encoding="UTF-8"?><hashlist version="{version}">{creator}{hashes}</hashlist>'
            (folder / "card.mhl").write_text(listed, encoding="utf-8")
            verified = verify_package(folder)
            self.assertEqual(
                (verified.right, verified.checked, verified.manifest), (True, 2, "card.mhl"), verified.says
            )
            (folder / "clips/A 001.mov").write_bytes(b"clips/A 001.moV" * 1000)
            self.assertEqual(verify_package(folder).changed, ("clips/A 001.mov",))
            (folder / "clips/more.mov").write_bytes(b"x")
            self.assertEqual(verify_package(folder).extra, ("clips/more.mov",))

    def test_bags_and_lists_of_other_algorithms(self) -> None:
        for kind in ("sha1", "sha512"):
            folder = self.folder / f"bag-{kind}"
            folder.mkdir()
            (folder / "film.mov").write_bytes(b"frames" * 500)
            bagit.make_bag(str(folder), checksums=[kind])
            self.assertTrue(verify_package(folder).right)
            (folder / "data/film.mov").write_bytes(b"framez" * 500)
            self.assertEqual(verify_package(folder).changed, ("data/film.mov",))
            single = self.folder / f"list-{kind}"
            single.mkdir()
            (single / "film.mov").write_bytes(b"frames" * 500)
            made = subprocess.run([f"{kind}sum", "film.mov"], cwd=single, check=True, capture_output=True)
            (single / f"film.mov.{kind}").write_bytes(made.stdout)
            self.assertTrue(verify_package(single).right)

    def test_names_that_lists_have_trouble_with(self) -> None:
        for name in ("a\u2028b.mov", "a\x0cb.mov", "100%25 done.mov", "5%0Aa.mov", "two\nlines.mov", "x\x85.wav"):
            with self.subTest(repr(name)), tempfile.TemporaryDirectory() as folder:
                made = Path(folder) / "package"
                make_package(made, [Item(source=self.items[1].source, path=name)], ["bagit", "md5"])
                verified = verify_package(made)
                self.assertEqual((verified.right, verified.mistake), (True, ""), verified)

    def test_a_name_whose_letters_are_composed_otherwise_is_the_same(self) -> None:
        for kind in ("mhl", "md5", "bagit"):
            made = self.make(kind)
            (kept,) = [path for path in made.rglob("*.txt") if path.name.startswith("été")]
            kept.rename(kept.with_name(unicodedata.normalize("NFD", kept.name)))
            verified = verify_package(made)
            self.assertEqual((verified.right, verified.missing, verified.extra), (True, (), ()), kind)
            kept.with_name(unicodedata.normalize("NFD", kept.name)).write_bytes(b"x")
            self.assertFalse(verify_package(made).right)
            shutil.rmtree(made)

    def test_the_open_verifier_and_ours_find_the_same_change(self) -> None:
        made = self.make("mhl")
        with open(made / "master.mxf", "r+b") as file:
            file.seek(1_500_000)
            file.write(b"!")
        self.assertEqual(verify_package(made).changed, ("master.mxf",))
        with self.assertRaises(mhl_errors.VerificationFailedException):
            open_verifier(made)

    def test_whatever_is_changed_in_a_package_is_told(self) -> None:
        def swap(made: Path) -> None:
            (made / "captions" / "en.srt").unlink()
            (made / "captions" / "en.srt").symlink_to("/etc/hostname")

        changes: list[tuple[str, Callable[[Path], object]]] = [
            ("missing: captions/en.srt", lambda made: (made / "captions" / "en.srt").unlink()),
            ("changed: captions/en.srt", lambda made: (made / "captions" / "en.srt").write_bytes(b"x" * 40)),
            ("changed: captions/en.srt", swap),
            ("not listed: .DS_Store", lambda made: (made / ".DS_Store").touch()),
            ("not listed: captions/de.srt", lambda made: (made / "captions" / "de.srt").touch()),
            (
                "1 missing: master.mxf; 1 not listed: renamed.mxf",
                lambda made: (made / "master.mxf").rename(made / "renamed.mxf"),
            ),
        ]
        for kind in ("mhl", "sha256", "bagit"):
            for number, (says, change) in enumerate(changes):
                with self.subTest(kind=kind, says=says):
                    made = self.folder / f"{kind}-{number}"
                    make_package(made, self.items, [kind])
                    inner = made / "data" if kind == "bagit" else made
                    change(inner)
                    found = verify_package(made)
                    self.assertFalse(found.right)
                    self.assertIn(says, found.says.replace("data/", ""))

    def test_a_list_that_was_rewritten_is_told_by_the_chain_that_seals_it(self) -> None:
        made = self.make("mhl")
        (generation,) = (made / "ascmhl").glob("*.mhl")
        whole = generation.read_text()
        (made / "captions" / "en.srt").write_bytes(b"x" * 40)
        digest = digests_of(made / "captions" / "en.srt", ["xxh128"]).digests["xxh128"]
        said = next(one for one in read_manifest(generation) if one.path == "captions/en.srt")
        rewritten = whole.replace(said.digest, digest).replace(f'size="{said.size}"', 'size="40"')
        for text, says in (
            (rewritten, "1 changed: ascmhl/"),
            (whole, "1 changed: captions/en.srt"),
        ):
            generation.write_text(text)
            found = verify_package(made)
            self.assertFalse(found.right)
            self.assertIn(says, found.says)
        generation.write_text(rewritten)
        chain = made / "ascmhl" / "ascmhl_chain.xml"
        sealed = chain.read_text()
        for content, says in (
            (None, "1 missing: ascmhl/ascmhl_chain.xml"),
            (sealed.replace(generation.name, "0002_other.mhl"), f"1 not listed: ascmhl/{generation.name}"),
            (sealed.replace(generation.name, "../../x.mhl"), "expected one inside the folder"),
            ("<ascmhldirectory>", "is no XML"),
            (sealed.split("<hashlist")[0] + "</ascmhldirectory>", f"1 not listed: ascmhl/{generation.name}"),
        ):
            chain.unlink(missing_ok=True)
            if content is not None:
                chain.write_text(content)
            found = verify_package(made)
            self.assertFalse(found.right, content)
            self.assertIn(says, found.says)

    def test_what_is_no_package_never_verifies(self) -> None:
        broken = self.folder / "broken"
        make_package(broken, self.items, ["bagit"])
        (broken / "manifest-sha256.txt").write_bytes(b"\xff\xfe")
        self.assertEqual(verify_package(broken).says, "manifest-sha256.txt is no text in UTF-8")
        empty = self.folder / "empty"
        empty.mkdir()
        self.assertFalse(verify_package(empty).right)
        (empty / "a.txt").touch()
        self.assertEqual(verify_package(empty).says, "There is no list of checksums in this folder.")
        (empty / "manifest.md5").write_text("")
        self.assertFalse(verify_package(empty).right)
        (empty / "manifest.md5").write_text("rubbish")
        self.assertIn("line 1", verify_package(empty).says)
        (empty / "bagit.txt").write_text("BagIt-Version: 1.0")
        self.assertIn("no manifest", verify_package(empty).says)

    def test_nothing_is_overwritten_and_an_unfinished_package_is_none(self) -> None:
        self.make()
        with self.assertRaisesRegex(CopyRefused, "nothing is overwritten"):
            self.make()
        for items, manifests, says in (
            ([*self.items, Item(source=self.items[0].source, path="MASTER.mxf")], ["md5"], "two files want"),
            (self.items, ["crc"], "expected one of"),
            ([Item(source=self.items[0].source, path="a", xxh128="0" * 32)], ["md5"], "is not what it was"),
        ):
            with self.assertRaisesRegex(CopyRefused, says):
                make_package(self.folder / "second", items, manifests)
            self.assertFalse((self.folder / "second").exists())
        with self.assertRaises(ManifestRefused):
            make_package(self.folder / "second", [Item(source=self.items[0].source, path="../x")], ["md5"])

        def stop(done: int, total: int) -> None:
            if done > total / 2:
                raise InterruptedError

        with self.assertRaises(InterruptedError):
            make_package(self.folder / "second", self.items, ["md5"], told=stop)
        self.assertEqual(sorted(os.listdir(self.folder)), ["package", "second.part", "shelf"])
        make_package(self.folder / "second", self.items, ["md5"])
        self.assertTrue(verify_package(self.folder / "second").right)
        self.assertEqual(sorted(os.listdir(self.folder)), ["package", "second", "shelf"])
