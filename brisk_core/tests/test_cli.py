import contextlib
import io
import json
import tempfile
import wave
from pathlib import Path
from unittest import TestCase

import numpy as np

from brisk_core.cli import main
from brisk_core.small_media import Small, make_small

SPEC = """
brisk_spec: 1
id: small
name: Small spec
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }
  - { id: length, characteristic: edit.length, condition: { same_as_timeline: true } }
"""
EDL = """TITLE: CANAL
FCM: NON-DROP FRAME

001  AX       V     C        01:00:00:00 01:00:02:00 10:00:00:00 10:00:02:00
"""


class CommandTest(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        make_small(cls.folder / "a.mp4", Small())
        (cls.folder / "spec.yaml").write_text(SPEC)
        (cls.folder / "edit.edl").write_text(EDL)
        (cls.folder / "text.mp4").write_text("hello")

    def run_command(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main([str(self.folder / word) if "." in word and "-" not in word[:1] else word for word in words])
        return status, out.getvalue(), err.getvalue()

    def test_a_relative_path_is_read_from_where_the_caller_stands(self) -> None:
        out = io.StringIO()
        with contextlib.chdir(self.folder), contextlib.redirect_stdout(out):
            status = main(["inspect", "a.mp4", "--depth", "headers", "--json"])
        self.assertEqual((status, json.loads(out.getvalue())["file"]["name"]), (0, "a.mp4"))

    def test_a_look_tells_what_was_seen_and_keeps_pictures(self) -> None:
        status, out, _ = self.run_command("look", "a.mp4")
        self.assertEqual(status, 0)
        self.assertIn("Seen so far, in 1 picture and at 0 places of the sound, over 2 s:", out)
        self.assertIn("  Size as decoded  192 × 128", out)
        with tempfile.TemporaryDirectory() as kept:
            status, out, _ = self.run_command("look", "a.mp4", "--json", "--pictures", kept)
            document = json.loads(out)
            self.assertEqual((status, document["schema"]), (0, "brisk-sentry/first-look/1"))
            self.assertEqual(len(list(Path(kept).iterdir())), len(document["strip"]))
        self.assertEqual(self.run_command("look", "text.mp4")[0], 3)

    def test_a_master_brings_its_lines(self) -> None:
        _, out, _ = self.run_command("check", "a.mp4", "--spec", "spec.yaml", "--master", "a.mp4", "--json")
        findings = {row["characteristic"]: row for row in json.loads(out)["findings"]}
        self.assertEqual(findings["master.map"]["outcome"], "pass")
        self.assertEqual(findings["master.map"]["observed"]["stretches"], [[0, 50, 0.0]])

    def test_stems_add_up_or_not(self) -> None:
        for name, sound in (("mix.wav", 0.3), ("half.wav", 0.15), ("third.wav", 0.1)):
            tone = (np.random.default_rng(1).uniform(-sound, sound, 96_000) * 32767).astype("<i2")
            with wave.open(str(self.folder / name), "wb") as file:
                file.setparams((1, 2, 48_000, 0, "NONE", ""))
                file.writeframes(tone.tobytes())
        status, out, _ = self.run_command("stems", "mix.wav", "half.wav", "half.wav", "--json")
        self.assertEqual((status, json.loads(out)["right"]), (0, True))
        status, out, _ = self.run_command("stems", "mix.wav", "half.wav", "third.wav")
        self.assertEqual((status, out[:5]), (1, "fail:"))
        status, _, err = self.run_command("stems", "mix.wav", "half.wav#2")
        self.assertEqual((status, "no sound track 2" in err), (3, True))

    def test_bits_that_fit_under_a_cap(self) -> None:
        words = ("plan", "bits", "--cap", "1 GB", "--length", "10:00", "--rate", "25", "--size", "1920x1080")
        status, out, _ = self.run_command(*words, "--sound", "aac 128 kb/s", "--spec", "pebbleview-wide")
        self.assertEqual((status, out.splitlines()[0]), (0, "fits: 980 MB of 1 GB; 20 MB stay free"))
        status, out, _ = self.run_command(*words, "--spec", "disc-sd-mpeg2-25", "--json")
        (row,) = json.loads(out)["files"]  # of a size and a codec that no disc of this kind takes
        self.assertEqual((status, row["picture_rate"]), (1, 8_000_000))
        self.assertIn("codec", [one["line"] for one in row["refused"]])
        status, out, _ = self.run_command(*words, "--picture-rate", "20 Mb/s")
        self.assertEqual((status, "over the cap by" in out), (1, True))

    def test_packages_are_made_and_verified(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "a.txt").write_text("film")
            package = str(folder / "package")
            status, out, _ = self.run_command("package", "make", package, str(folder / "a.txt"), "--manifest", "md5")
            self.assertEqual((status, out.split()[-1]), (0, "a.txt"))
            self.assertEqual(self.run_command("package", "verify", package)[:2], (0, "1 of 1 files as listed\n"))
            self.assertEqual(self.run_command("package", "make", package, str(folder / "a.txt"))[0], 2)
            image = str(folder / "disc.iso")
            self.assertEqual(
                self.run_command("package", "image", image, str(folder / "a.txt"), "--label", "CANAL")[0], 0
            )
            self.assertEqual(self.run_command("package", "image", image, str(folder / "a.txt"))[0], 2)
            (folder / "package" / "a.txt").write_text("Film")
            status, out, _ = self.run_command("package", "verify", package, "--json")
            self.assertEqual((status, json.loads(out)["changed"]), (1, ["a.txt"]))
            self.assertEqual(self.run_command("package", "verify", f"{package}x")[0], 3)
            self.assertEqual(self.run_command("package", "make", f"{package}2", f"{package}x")[0], 3)

    def test_rates_in_order_of_harm(self) -> None:
        status, out, _ = self.run_command(
            "plan", "rates", "--source", "24 1:00:00", "--target", "25", "--target", "30i"
        )
        self.assertEqual((status, out.splitlines()[0].split()), (0, ["25", "3,600.0", "frames", "wrongly", "timed"]))
        self.assertIn("4.17 % faster", out)
        status, out, _ = self.run_command("plan", "rates", "--source", "25 10 s", "--json")
        self.assertEqual((status, json.loads(out)["targets"][0]["harm"]), (0, 0.0))
        status, _, err = self.run_command("plan", "rates", "--source", "25")
        self.assertEqual((status, "source 1, length: is missing; expected such as" in err), (2, True), err)

    def test_a_plan_from_a_document(self) -> None:
        rows = [f'{{"length": "10:00:00:00", "rate": 25, "size": [{size}, 720]}}' for size in (1280, 960)]
        for name, text in (
            ("plan.json", f'{{"cap": "20 GB", "files": [{", ".join(rows)}]}}'),
            ("plan.yaml", "cap: 20 GB\nfiles:\n" + "".join(f"  - {row}\n" for row in rows)),
        ):
            (self.folder / name).write_text(text)
            status, out, _ = self.run_command("plan", "bits", "--plan", name, "--json")
            found = json.loads(out)
            self.assertEqual((status, [row["frames"] for row in found["files"]]), (0, [900_000] * 2), name)
        (self.folder / "plan.txt").write_text("[1]")
        for words, says in (
            (("--plan", "plan.json", "--rate", "25"), "expected no --length, --rate"),
            (("--plan", "plan.txt"), "met a list; expected a mapping with cap and files"),
            (("--plan", "gone.json"), "cannot be read; expected a plan in JSON or YAML"),
            (("--cap", "1 MB"), "file 1, rate: is missing; expected frames a second such as 25"),
            (("--plan", "plan.json", "--spec", "nowhere"), "there is no spec 'nowhere'"),
        ):
            status, _, err = self.run_command("plan", "bits", *words)
            self.assertEqual((status, says in err), (2, True), err)

    def test_captions_bring_their_lines(self) -> None:
        (self.folder / "a.srt").write_text("1\n00:00:00,100 --> 00:00:05,000\nToo long for two seconds\n")
        _, out, _ = self.run_command("check", "a.mp4", "--spec", "spec.yaml", "--captions", "a.srt", "--json")
        found = {row["characteristic"]: row for row in json.loads(out)["findings"]}["text.out_of_range"]
        self.assertEqual(found["says"], "Line 2: stands until 3.00 s after the programme's end.")
        for text, status, says in (("hello", 1, ""), ("", 3, "none.srt is empty; expected captions")):
            (self.folder / "none.srt").write_text(text)
            met, _, err = self.run_command("check", "a.mp4", "--spec", "spec.yaml", "--captions", "none.srt")
            self.assertEqual((met, says in err), (status, True), err)

    def test_inspect(self) -> None:
        status, out, _ = self.run_command("inspect", "a.mp4", "--json")
        document = json.loads(out)
        self.assertEqual((status, document["schema"]), (0, "brisk-sentry/inspection/1"))
        self.assertEqual(document["file"]["name"], "a.mp4")
        self.assertEqual(document["characteristics"]["picture.frame_rate"]["observed"], "25/1")
        self.assertEqual(len(document["characteristics"]["file.checksum"]["observed"]["xxh3_128"]), 32)

    def test_inspect_headers_only(self) -> None:
        _, out, _ = self.run_command("inspect", "a.mp4", "--json", "--depth", "headers")
        document = json.loads(out)
        self.assertNotIn("observed", document["characteristics"]["bitrate.average"])
        self.assertEqual(document["unread"]["bitrate.average"], "the packets have not been read")

    def test_check_passes_and_fails_by_its_status(self) -> None:
        words = ("check", "a.mp4", "--spec", "spec.yaml", "--timeline", "edit.edl")
        status, out, _ = self.run_command(*words, "--json")
        self.assertEqual((status, json.loads(out)["verdict"]), (0, "pass"))
        status, out, _ = self.run_command(*words, "--range", "0-49")
        self.assertEqual(status, 1)
        self.assertIn("The file is one frame longer than the timeline: 50 found, 49 frames expected.", out)

    def test_nothing_measured_is_no_fail_and_no_pass(self) -> None:
        status, out, _ = self.run_command("check", "a.mp4", "--spec", "spec.yaml", "--json")
        self.assertEqual((status, json.loads(out)["verdict"]), (0, "not measured"))

    def test_a_shipped_spec_by_its_id(self) -> None:
        status, out, _ = self.run_command("check", "a.mp4", "--spec", "pebbleview-wide", "--json")
        self.assertEqual((status, json.loads(out)["spec"]["id"]), (1, "pebbleview-wide"))

    def test_a_file_that_cannot_be_read(self) -> None:
        for words in (("inspect", "text.mp4", "--json"), ("check", "text.mp4", "--spec", "spec.yaml", "--json")):
            status, out, err = self.run_command(*words)
            self.assertEqual(status, 3)
            self.assertEqual(json.loads(out), {"error": "this is no media file that is known: it is plain text"})
            self.assertEqual(err, "brisk-sentry: this is no media file that is known: it is plain text\n")

    def test_a_name_is_never_an_address(self) -> None:
        whole = (self.folder / "a.mp4").read_bytes()
        with contextlib.chdir(self.folder):
            for name in ("take::2.mp4", "http:a.mp4", "file:b.mp4", "memory:::c.mp4", "take*[1]?.mp4", "~d.mp4"):
                Path(name).write_bytes(whole)
                out = io.StringIO()
                with contextlib.redirect_stdout(out):
                    status = main(["inspect", name, "--depth", "headers", "--json"])
                self.assertEqual((status, json.loads(out.getvalue())["file"]["name"]), (0, name))
            for name in (
                "http://127.0.0.1:1/a.mp4",
                "file:///a.mp4",
                "s3://a/b.mp4",
                "zip://a.mp4::a.zip",
                "github://a",
            ):
                out, err = io.StringIO(), io.StringIO()
                with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
                    self.assertEqual(main(["inspect", name, "--depth", "headers"]), 3, name)
                self.assertIn(f"cannot open {name}: No such file or directory", err.getvalue())

    def test_what_steers_a_terminal_is_not_printed(self) -> None:
        name = "a\x1b[31m\x9b2J\u202e\U000e0041.mp4"
        (self.folder / name).write_bytes((self.folder / "a.mp4").read_bytes())
        (self.folder / f"bad{name}").write_text("hello")
        for words in (("inspect", name), ("inspect", name, "--json"), ("check", name, "--spec", "spec.yaml", "--json")):
            status, out, err = self.run_command(*words)
            self.assertIn(status, (0, 1))
            self.assertTrue(all(sign.isprintable() or sign == "\n" for sign in out + err))
            if "--json" in words:
                self.assertEqual(json.loads(out)["file"]["name"], name)
        _, out, err = self.run_command("inspect", f"no{name}", "--json")
        self.assertTrue(all(sign.isprintable() or sign == "\n" for sign in out + err))

    def test_wrong_use(self) -> None:
        for words, says in (
            ((), "the following arguments are required: verb"),
            (("inspect",), "the following arguments are required: file"),
            (("inspect", "a.mp4", "--depth", "deep"), "invalid choice: 'deep'"),
            (("check", "a.mp4", "--spec", "nowhere"), "there is no spec 'nowhere'"),
            (("check", "a.mp4", "--spec", "a.mp4"), "is not text in UTF-8"),
            (("check", "a.mp4", "--spec", "edit.edl"), "the spec has 1 mistake"),
            (("check", "a.mp4", "--spec", "spec.yaml", "--range", "0-9"), "a range needs a timeline"),
            (("check", "a.mp4", "--spec", "spec.yaml", "--timeline", "no.edl"), "there is no timeline"),
            (
                ("check", "a.mp4", "--spec", "spec.yaml", "--timeline", "edit.edl", "--range", "0-900"),
                "does not lie inside",
            ),
            (("check", "a.mp4", "--spec", "spec.yaml", "--timeline", "spec.yaml"), "expected an OTIO document"),
        ):
            status, _, err = self.run_command(*words)
            self.assertEqual(status, 2, err)
            self.assertIn(says, err)
            self.assertEqual(err.count("\n"), 1)
