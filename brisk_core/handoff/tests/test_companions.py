import tempfile
import unittest
import wave
from pathlib import Path
from typing import Any

from PIL import Image

from brisk_core import sandbox
from brisk_core.handoff.companions import Brought, Readiness, judge_companion, tags_of
from brisk_core.sandbox import requests
from brisk_core.small_media import Small, make_small
from brisk_core.spec.companions import Companion, CompanionKind, CompanionWeight


def asked(kind: CompanionKind, **more: Any) -> Companion:
    return Companion(id="it", kind=kind, label="It", **more)


class JudgingTest(unittest.TestCase):
    def judged(self, companion: Companion, *brought: Brought) -> tuple[Readiness, str]:
        found = judge_companion(companion, brought)
        return found.state, found.says

    def test_words_at_both_edges(self) -> None:
        title = asked(CompanionKind.TEXT, least=3, most=5)
        for text, state, says in (
            ("ab", Readiness.WRONG, "It has 2 letters, 1 too few."),
            (" ab ", Readiness.WRONG, "It has 2 letters, 1 too few."),
            ("abc", Readiness.READY, "3 letters."),
            ("abcde", Readiness.READY, "5 letters."),
            ("abcdef", Readiness.WRONG, "It has 6 letters, 1 too many."),
        ):
            self.assertEqual(self.judged(title, Brought(text=text)), (state, says))
        self.assertEqual(self.judged(title), (Readiness.MISSING, "Nothing is there."))

    def test_tags(self) -> None:
        tags = asked(CompanionKind.TAGS, least=1, most=2, longest=5)
        self.assertEqual(tags_of(" canal,lock ,, canal, old  town "), ["canal", "lock", "old town"])
        self.assertEqual(self.judged(tags, Brought(text="canal, lock")), (Readiness.READY, "2 tags."))
        self.assertEqual(self.judged(tags, Brought(text="a,b,c"))[1], "It has 3 tags, 1 too many.")
        self.assertEqual(self.judged(tags, Brought(text=", ,"))[1], "It has 0 tags, 1 too few.")
        self.assertEqual(self.judged(tags, Brought(text="canals"))[1], "canals has 6 letters; at most 5 are taken.")

    def test_a_picture(self) -> None:
        poster = asked(CompanionKind.PICTURE, size=(128, 72), formats=("png",), most_bytes=1000)
        right = Brought(name="p.png", format="png", picture=(128, 72), size=1000)
        self.assertEqual(self.judged(poster, right), (Readiness.READY, "128 × 72, png."))
        for wrong, says in (
            (Brought(name="p.jpg", format="jpeg", picture=(128, 72)), "p.jpg is jpeg; expected png."),
            (Brought(name="p", format=""), "p is none of the formats that are known; expected png."),
            (Brought(name="p", format="png", picture=(72, 128)), "p is 72 × 128; expected 128 × 72."),
            (Brought(name="p", format="png", picture=(128, 72), size=1001), "p has 1.0 kB, 1 B more than 1 kB."),
        ):
            state, found = self.judged(poster, wrong)
            self.assertEqual(state, Readiness.WRONG)
            self.assertEqual(found.partition(" has ")[0], says.partition(" has ")[0])

    def test_captions_of_the_language_that_is_asked_for(self) -> None:
        english = asked(CompanionKind.CAPTIONS, language="en", formats=("srt",))
        there = [
            Brought(name="a.de.srt", format="srt", language="de"),
            Brought(name="a.en.srt", format="srt", language="en-GB"),
        ]
        self.assertEqual(self.judged(english, *there), (Readiness.READY, "a.en.srt."))
        self.assertEqual(self.judged(english, there[0]), (Readiness.WRONG, "a.de.srt is in de; expected en."))
        unsaid = Brought(name="a.srt", format="srt")
        self.assertEqual(self.judged(english, unsaid)[1], "a.srt is in a language that it does not say; expected en.")

    def test_what_must_not_come_along(self) -> None:
        never = asked(CompanionKind.CAPTIONS, weight=CompanionWeight.NEVER)
        self.assertEqual(self.judged(never), (Readiness.AWAY, "Nothing of it comes along."))
        files = [Brought(name=f"{number}.srt") for number in range(5)]
        state, says = self.judged(never, *files)
        self.assertEqual(
            (state, says), (Readiness.NOT_WANTED, "It must not come along: 0.srt, 1.srt, 2.srt and 2 more.")
        )
        self.assertTrue(judge_companion(never, files).holds_back)
        self.assertFalse(judge_companion(never, []).holds_back)

    def test_what_should_be_there_holds_nothing_back(self) -> None:
        for weight, holds, outcome in (
            (CompanionWeight.MUST, True, "fail"),
            (CompanionWeight.SHOULD, False, "caution"),
        ):
            found = judge_companion(asked(CompanionKind.PAPER, weight=weight), [])
            self.assertEqual((found.holds_back, found.outcome), (holds, outcome))
        right = judge_companion(asked(CompanionKind.PAPER), [Brought(name="a.pdf", format="pdf")])
        self.assertEqual((right.holds_back, right.outcome, right.says), (False, "pass", "a.pdf."))

    def test_chapters_are_counted(self) -> None:
        chapters = asked(CompanionKind.CHAPTERS, least=3)
        one = Brought(name="c.vtt", format="webvtt", count=2)
        self.assertEqual(self.judged(chapters, one)[1], "c.vtt has 2 chapters, 1 too few.")


class FilesTest(unittest.TestCase):
    """What bytes say, whatever a file is called; looked at in the sandbox."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name).resolve()

    def look(self, name: str, kind: CompanionKind, data: bytes | None = None) -> dict[str, Any]:
        path = self.folder / name
        if data is not None:
            path.write_bytes(data)
        return sandbox.run(requests.Companion(url=str(path), name=name, kind=kind.value))

    def test_pictures(self) -> None:
        for name in ("jpeg", "png"):
            Image.new("RGB", (64, 36), "teal").save(self.folder / f"p.{name}")
            self.assertEqual(self.look(f"p.{name}", CompanionKind.PICTURE), {"format": name, "picture": [64, 36]})
        whole = (self.folder / "p.png").read_bytes()
        Image.new("RGB", (64, 36)).save(self.folder / "p.gif")
        for data in (b"", b"hello", whole[:60], (self.folder / "p.gif").read_bytes()):
            self.assertEqual(self.look("x.png", CompanionKind.PICTURE, data), {"format": ""})
        self.assertEqual(self.look("x.jpg", CompanionKind.PICTURE, whole)["format"], "png")

    def test_a_picture_that_would_fill_the_memory_is_not_opened(self) -> None:
        Image.new("1", (20_000, 20_000)).save(self.folder / "huge.png")
        self.assertIn(self.look("huge.png", CompanionKind.PICTURE)["format"], ("", "png"))

    def test_captions_and_chapters(self) -> None:
        text = b"WEBVTT\n\n00:00:00.000 --> 00:00:10.000\nThe lock\n\n00:00:10.000 --> 00:00:20.000\nThe town\n"
        found = self.look("c.vtt", CompanionKind.CHAPTERS, text)
        self.assertEqual((found["format"], found["count"]), ("webvtt", 2))
        self.assertEqual(self.look("c.srt", CompanionKind.CAPTIONS, b"{not captions}"), {"format": ""})

    def test_papers(self) -> None:
        whole = b"%PDF-1.7\n1 0 obj\n<<>>\nendobj\ntrailer\n<<>>\nstartxref\n9\n%%EOF\n"
        self.assertEqual(self.look("a.pdf", CompanionKind.PAPER, whole), {"format": "pdf"})
        for data in (whole[:-8], b"hello", b""):
            self.assertEqual(self.look("b.pdf", CompanionKind.PAPER, data), {"format": ""})

    def test_sound(self) -> None:
        make_small(self.folder / "a.mp4", Small())
        self.assertEqual(self.look("a.mp4", CompanionKind.SOUND), {"format": ""})  # it has none
        self.assertEqual(self.look("b.wav", CompanionKind.SOUND, b"RIFF"), {"format": ""})
        with wave.open(str(self.folder / "c.wav"), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(48000)
            file.writeframes(bytes(96000))
        self.assertEqual(self.look("c.wav", CompanionKind.SOUND), {"format": "wav"})
