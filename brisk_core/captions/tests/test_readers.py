from unittest import TestCase
from xml.etree import ElementTree

from ttconv.imsc.reader import to_model as imsc_to_model
from ttconv.scc.writer import from_model as scc_from_model

from brisk_core.captions import CaptionDocument, Clock, Oddity, document_from_json, document_to_json, read_captions
from brisk_core.captions.reading import belongs_to
from brisk_core.errors import CaptionsRefused


def seconds(document: CaptionDocument) -> list[tuple[float, float]]:
    return [(round(float(one.start), 3), round(float(one.end), 3)) for one in document.captions]


def remarks(document: CaptionDocument, kind: Oddity) -> list[tuple[int, str]]:
    return [(one.line, one.says) for one in document.remarks if one.kind is kind]


SRT = """1
00:00:01,000 --> 00:00:02,500
<i>The lamps</i> go out
one by one.

2
00:00:03,000 --> 00:00:04,000 X1:10
{\\an8}Who is there?

3
00:00:05,00 -> 00:00:06,000
Lost

4
00:00:08,000 --> 00:00:07,000
Backwards

5
00:00:09,000 --> 00:00:10,000

7
00:00:11,000 --> 00:00:12,000
First half

second half
"""


class SubRipTest(TestCase):
    def test_captions_stand_with_their_lines(self) -> None:
        found = read_captions(SRT.encode(), "film.en.srt")
        self.assertEqual(
            (found.format, found.encoding, found.language, found.clock), ("SRT", "ASCII", "en", Clock.MEDIA)
        )
        self.assertEqual(seconds(found), [(1, 2.5), (3, 4), (8, 7), (9, 10), (11, 12)])
        self.assertEqual([one.place for one in found.captions], [2, 7, 15, 19, 22])
        self.assertEqual(found.captions[0].lines, ("The lamps go out", "one by one."))
        self.assertEqual((found.captions[1].region, found.captions[1].text), ("top", "Who is there?"))

    def test_everything_that_is_lost_is_said_with_its_line(self) -> None:
        found = remarks(read_captions(SRT.encode(), "film.srt"), Oddity.UNREADABLE)
        self.assertEqual([line for line, _ in found], [11, 15, 19, 21, 25])
        told = dict(found)
        self.assertIn("this caption is lost", told[11])
        self.assertIn("1.00 s before it begins", told[15])
        self.assertIn("no text", told[19])
        self.assertIn("expected 6", told[21])
        self.assertIn("second half", told[25])

    def test_numbers_and_times_at_the_end_and_one_after_the_other(self) -> None:
        text = "1\n00:00:01,000 --> 00:00:02,000\nOne\n2\n00:00:03,000 --> 00:00:04,000\nTwo\n00:00:05,000 --> 00:00:06,000\nThree\n4"
        found = read_captions(text.encode(), "a.srt")
        self.assertEqual([one.lines for one in found.captions], [("One",), ("Two",), ("Three", "4")])
        self.assertEqual(remarks(found, Oddity.UNREADABLE), [])
        counted = "1\n00:00:01,000 --> 00:00:02,000\nOne\n2\n3\n00:00:03,000 --> 00:00:04,000\nTwo\n"
        found = read_captions(counted.encode(), "a.srt")
        self.assertEqual([one.lines for one in found.captions], [("One", "2"), ("Two",)])
        alone = read_captions(b"1\n00:00:01,000 --> 00:00:02,000\nOne\n\n7", "a.srt")
        self.assertEqual([line for line, _ in remarks(alone, Oddity.UNREADABLE)], [5])
        late = read_captions(
            b"5\n00:00:01,000 --> 00:00:02,000\nOne\n\n6\n00:00:03,000 --> 00:00:04,000\nTwo\n", "a.srt"
        )
        self.assertEqual(remarks(late, Oddity.UNREADABLE), [])  # an excerpt may begin anywhere

    def test_line_ends_of_every_system_count_alike(self) -> None:
        for ends in ("\r\n", "\r", "\n"):
            found = read_captions(SRT.replace("\n", ends).encode(), "film.srt")
            self.assertEqual([one.place for one in found.captions], [2, 7, 15, 19, 22], repr(ends))

    def test_signs_that_part_lines_elsewhere_do_not_count_as_lines(self) -> None:
        rows = "1\n00:00:01,000 --> 00:00:02,000\nOne{}two\n\n2\n00:00:04,000 --> 00:00:03,000\nThree\n"
        for sign in "\x0b\x0c\x1c\x1e\x85\u2028\u2029":
            srt = read_captions(rows.format(sign).encode(), "a.srt")
            vtt = read_captions(f"WEBVTT\n\n{rows.format(sign)}".replace(",", ".").encode(), "a.vtt")
            self.assertEqual([one.place for one in srt.captions], [2, 6], repr(sign))
            self.assertEqual([one.place for one in vtt.captions], [4, 8], repr(sign))
            self.assertEqual([one.line for one in srt.remarks], [3, 6], repr(sign))

    def test_doubled_carriage_returns_are_told_once_and_nothing_is_lost(self) -> None:
        right = read_captions(SRT.replace("\n", "\r\n").encode(), "a.srt")
        found = read_captions(SRT.replace("\n", "\r\r\n").encode(), "a.srt")
        self.assertEqual(found.captions, right.captions)
        self.assertIn("CR CR LF", found.remarks[0].says)
        self.assertEqual(found.remarks[1:], right.remarks)

    def test_arrows_made_of_other_dashes_are_told_as_times(self) -> None:
        for arrow in ("—>", "–>", "->", "−>"):
            rows = f"1\n00:00:01,000 {arrow} 00:00:02,000\nOne\n\n2\n00:00:03,000 --> 00:00:04,000\nTwo\n"
            found = read_captions(rows.encode(), "a.srt")
            self.assertEqual(([one.lines for one in found.captions], len(found.remarks)), ([("Two",)], 1), arrow)
            self.assertIn("as times", found.remarks[0].says)

    def test_characters_of_other_codes_are_read_and_remarked_on(self) -> None:
        text = "1\n00:00:01,000 --> 00:00:02,000\nDéjà vu: “café”\n"
        for code, spelled, odd in (
            ("utf-8", "UTF-8", 0),
            ("utf-8-sig", "UTF-8", 0),
            ("utf-16", "UTF-16", 0),
            ("utf-16-le", "UTF-16", 1),
            ("cp1252", "Windows-1252", 1),
        ):
            with self.subTest(code):
                found = read_captions(text.encode(code), "film.srt")
                self.assertEqual((found.encoding, found.captions[0].text), (spelled, "Déjà vu: “café”"))
                self.assertEqual(len(remarks(found, Oddity.ENCODING)), odd)

    def test_characters_read_twice_are_told_with_what_was_meant(self) -> None:
        spoiled = "1\n00:00:01,000 --> 00:00:02,000\ncafé\n".encode().decode("cp1252").encode()
        self.assertEqual(
            remarks(read_captions(spoiled, "film.srt"), Oddity.ENCODING),
            [(3, "“Ã©” looks like “é”, read in another code and saved again")],
        )
        lost = "1\n00:00:01,000 --> 00:00:02,000\ncaf\ufffd\n".encode()
        self.assertIn("lost", remarks(read_captions(lost, "film.srt"), Oddity.ENCODING)[0][1])
        right = "1\n00:00:01,000 --> 00:00:02,000\nÂme, Écluse à Ô – “Ça”, naïve\n".encode()
        self.assertEqual(remarks(read_captions(right, "film.srt"), Oddity.ENCODING), [])


VTT = """WEBVTT
Language: en

NOTE a remark
of two lines

STYLE
::cue { color: white }

intro
00:01.000 --> 00:02.500 line:10% position:50%
<v Otto>Good &amp; evening

01:00:03.000 --> 01:00:04.000
<c.loud>Who</c> is there?
00:05.000 --> 00:06.000
No empty line before

00:07,000 --> 00:08.000
A comma is not WebVTT
"""


class WebVttTest(TestCase):
    def test_cues_settings_and_blocks(self) -> None:
        found = read_captions(VTT.encode(), "film.vtt")
        self.assertEqual((found.format, found.language), ("WebVTT", "en"))
        self.assertEqual(seconds(found), [(1, 2.5), (3603, 3604), (5, 6)])
        self.assertEqual([one.place for one in found.captions], [11, 14, 16])
        self.assertEqual(found.captions[0].region, "line:10%", "the middle is where it stands by itself")
        self.assertEqual([one.text for one in found.captions[:2]], ["Good & evening", "Who is there?"])
        self.assertEqual(
            [line for line, _ in remarks(found, Oddity.UNREADABLE)], [16, 19], "one begins before the one above it"
        )

    def test_how_signs_are_read_is_no_text(self) -> None:
        for says, lines in (
            ("<ruby>水<rt>みず</rt>門<rt>もん</rt></ruby>が開く", ("水門が開く",)),
            ("<ruby>水<rt>みず<rt>もん</ruby>が", ("水が",)),
            ("<c.red>Art</c> <rtl>", ("Art",)),
        ):
            found = read_captions(f"WEBVTT\n\n00:01.000 --> 00:02.000\n{says}\n".encode(), "a.vtt")
            self.assertEqual((found.captions[0].lines, found.remarks), (lines, ()), says)

    def test_a_missing_header_and_another_code_are_remarked_on(self) -> None:
        found = read_captions(VTT.removeprefix("WEBVTT\nLanguage: en\n").encode(), "film.vtt")
        self.assertEqual(found.format, "WebVTT")  # by its name, and by times without a comma
        bad = read_captions(VTT.replace("Who", "Où").encode("cp1252"), "film.vtt")
        self.assertEqual(len(remarks(bad, Oddity.ENCODING)), 2)


TTML = """<?xml version="1.0" encoding="UTF-8"?>
<tt xmlns="http://www.w3.org/ns/ttml" xmlns:ttp="http://www.w3.org/ns/ttml#parameter" xml:lang="cy"
    ttp:frameRate="25" ttp:tickRate="1000">
  <head><layout><region xml:id="top"/></layout></head>
  <body begin="10s"><div>
    <p begin="00:00:01.500" end="00:00:03:05">The   lamps<br/>go <span>out</span></p>
    <p begin="4s" dur="1500ms" region="top">Second</p>
    <p begin="100f" end="6000t">Frames and ticks</p>
    <p><span begin="7s" end="8s">Half</span><span begin="8s" end="9s">and half</span></p>
    <p begin="later" end="12s">No time</p>
    <p begin="13s">Never leaves</p>
    <p></p>
  </div></body>
</tt>
"""


class TtmlTest(TestCase):
    def test_times_of_every_kind_nest(self) -> None:
        found = read_captions(TTML.encode(), "film.ttml")
        self.assertEqual((found.format, found.language, found.rate), ("TTML", "cy", 25))
        expected = [(11.5, 13.2), (14, 15.5), (14, 16), (17, 18), (18, 19), (10, 22), (23, 23)]
        self.assertEqual(seconds(found), expected)
        self.assertEqual([one.place for one in found.captions], [6, 7, 8, 9, 9, 10, 11])
        self.assertEqual([one.stays for one in found.captions], [False] * 6 + [True], "the last one has no end")
        self.assertEqual(found.captions[0].lines, ("The lamps", "go out"))
        self.assertEqual(found.captions[1].region, "top")
        self.assertEqual([line for line, _ in remarks(found, Oddity.UNREADABLE)], [10, 11])

    def test_labels_of_timecode(self) -> None:
        text = TTML.replace('ttp:frameRate="25"', 'ttp:frameRate="25" ttp:timeBase="smpte"').replace(' begin="10s"', "")
        found = read_captions(
            text.replace("00:00:01.500", "10:00:01:00").replace("00:00:03:05", "10:00:03:05").encode(), "f.ttml"
        )
        self.assertEqual(found.clock, Clock.TIMECODE)
        self.assertEqual(seconds(found)[0], (36001, 36003.2))

    def test_children_in_sequence(self) -> None:
        text = TTML.replace("<div>", '<div timeContainer="seq">')
        found = read_captions(text.encode(), "film.ttml")
        self.assertEqual(seconds(found)[:2], [(11.5, 13.2), (17.2, 18.7)])

    def test_a_time_that_cannot_be_read_is_told_once(self) -> None:
        cues = (
            '<p begin="1s" end="2s">One</p>\n<p begin="soon">Two</p>\n'
            '<p begin="5s" end="later">Three</p>\n<p>Four</p>\n<p end="9s">Five</p>\n<p begin="">Six</p>'
        )
        text = f'<tt xmlns="http://www.w3.org/ns/ttml" xml:lang="en"><body><div>\n{cues}\n</div></body></tt>'
        found = read_captions(text.encode(), "film.ttml")
        self.assertEqual([one.lines for one in found.captions], [("One",), ("Three",), ("Five",)])
        self.assertEqual(found.captions[2].start, 0)
        self.assertEqual([line for line, _ in remarks(found, Oddity.UNREADABLE)], [3, 4, 5, 7])

    def test_clock_times_that_a_clock_does_not_have(self) -> None:
        for time, says in (
            ("00:00:01:25", "up to 24, at 25 frames a second"),
            ("00:00:61.000", "seconds up to 59"),
            ("00:75:01", "minutes and seconds up to 59"),
            ("00:00:01:24", ""),
            ("00:59:59.999", ""),
        ):
            found = read_captions(TTML.replace("00:00:01.500", time).encode(), "film.ttml")
            told = [one for line, one in remarks(found, Oddity.UNREADABLE) if line == 6 and time in one]
            self.assertEqual([says in one for one in told], [True] if says else [], time)
        third = TTML.replace("25", "30").replace("ttp:frameRate", 'ttp:frameRateMultiplier="1000 1001" ttp:frameRate')
        found = read_captions(third.replace("00:00:01.500", "00:00:01:29").encode(), "film.ttml")
        self.assertNotIn("00:00:01:29", str(found.remarks))

    def test_hostile_documents_are_refused(self) -> None:
        bomb = '<!DOCTYPE tt [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><tt xmlns="http://www.w3.org/ns/ttml">&b;</tt>'
        deep = '<tt xmlns="http://www.w3.org/ns/ttml">' + "<div>" * 500
        for text, words in (
            (bomb, "document type"),
            (deep, "deeper"),
            ("<html/>", "expected <tt>"),
            ("<tt/>", "met <tt> without a namespace"),
            (TTML[:400], "not well-formed"),
            (TTML.replace('"25"', '"0"'), "frame rate"),
            (TTML.replace('"25"', '"many"'), "cannot be read"),
        ):
            with self.subTest(words), self.assertRaisesRegex(CaptionsRefused, words):
                read_captions(text.encode(), "film.ttml")


def make_scc() -> bytes:
    """Line-21 codes written by the library from timed paragraphs, so that reading is held against another's writing."""
    ttml = """<tt xmlns="http://www.w3.org/ns/ttml" xml:lang="en"><head><layout/></head><body><div>
    <p begin="2s" end="4s">The lamps go out</p><p begin="6s" end="8s">one by one</p></div></body></tt>"""
    model = imsc_to_model(ElementTree.ElementTree(ElementTree.fromstring(ttml)))  # noqa: S314 - written above
    return str(scc_from_model(model)).encode()


class LineTwentyOneTest(TestCase):
    def test_what_was_written_is_read(self) -> None:
        data = make_scc()
        found = read_captions(data, "film.scc")
        self.assertEqual((found.format, found.clock, found.drop), ("SCC", Clock.TIMECODE, True))
        self.assertEqual([one.text for one in found.captions], ["The lamps go out", "one by one"])
        for (start, end), wanted in zip(seconds(found), ((2, 4), (6, 8)), strict=True):
            self.assertAlmostEqual(start, wanted[0], delta=0.1)
            self.assertAlmostEqual(end, wanted[1], delta=0.1)
        rows = data.decode().splitlines()
        for one in found.captions:
            self.assertRegex(rows[one.place - 1], r"^00:00:0\d")

    def test_rows_that_are_no_codes_are_remarked_on(self) -> None:
        found = read_captions(make_scc() + b"\n\n00:00:09;00 xyz\n", "film.scc")
        self.assertIn("four hexadecimal digits", remarks(found, Oddity.UNREADABLE)[0][1])
        self.assertEqual(len(found.captions), 2)


def make_stl(
    *texts: tuple[tuple[int, int, int, int], tuple[int, int, int, int], bytes], blocks: int | None = None
) -> bytes:
    """An EBU-STL file of single blocks, by the fields of EBU Tech 3264."""
    general = bytearray(b" " * 1024)
    general[0:3], general[3:11], general[11:12], general[12:14], general[14:16] = (
        b"437",
        b"STL25.01",
        b"1",
        b"00",
        b"08",
    )
    general[238:243] = f"{len(texts) if blocks is None else blocks:05}".encode()
    general[256:264] = b"10000000"
    data = bytes(general)
    for number, (start, end, text) in enumerate(texts):
        head = (
            bytes([0]) + number.to_bytes(2, "little") + bytes([0xFF, 0]) + bytes(start) + bytes(end) + bytes([20, 2, 0])
        )
        data += head + text.ljust(112, b"\x8f")
    return data


class EbuStlTest(TestCase):
    def test_blocks_times_and_characters(self) -> None:
        found = read_captions(
            make_stl(
                ((10, 0, 1, 0), (10, 0, 2, 12), b"\x0b\x0bDie Lampen\x8a\x8av\xc8erl\xc8oschen\x0a\x0a"),
                ((10, 0, 3, 0), (10, 0, 4, 0), b"Wer da?"),
            ),
            "film.stl",
        )
        self.assertEqual(
            (found.format, found.encoding, found.language, found.counts), ("EBU-STL", "ISO 6937", "de", "block")
        )
        self.assertEqual((found.rate, found.origin, found.clock), (25, 36000, Clock.TIMECODE))
        self.assertEqual(found.captions[0].lines, ("Die Lampen", "vërlöschen"))
        self.assertEqual(seconds(found), [(36001, 36002.48), (36003, 36004)])
        self.assertEqual(found.remarks, ())

    def test_what_is_wrong_is_said_by_block(self) -> None:
        data = make_stl(((10, 0, 1, 0), (10, 0, 2, 30), b"Late"), ((10, 0, 3, 0), (10, 0, 2, 0), b"Back"), blocks=3)
        found = read_captions(data[:-3], "film.stl")
        self.assertEqual([line for line, _ in remarks(found, Oddity.UNREADABLE)], [1, 2, 0])
        self.assertIn("25 frames a second", found.remarks[0].says)

    def test_a_text_in_several_blocks(self) -> None:
        times = ((10, 0, 1, 0), (10, 0, 2, 0))
        data = bytearray(
            make_stl((*times, b"The lock is "), (*times, b"open."), ((10, 0, 3, 0), (10, 0, 4, 0), b"Go!"))
        )
        second = 1024 + 128
        data[1024 + 3], data[second + 1] = 0, 0  # both have the number of the first; the first says that more follows
        found = read_captions(bytes(data), "film.stl")
        self.assertEqual([one.lines for one in found.captions], [("The lock is open.",), ("Go!",)])
        self.assertEqual(found.remarks, ())
        data[second + 3] = 1  # the last one of the text is missing
        found = read_captions(bytes(data), "film.stl")
        self.assertEqual([one.lines for one in found.captions], [("The lock is open.",), ("Go!",)])
        self.assertEqual([line for line, _ in remarks(found, Oddity.UNREADABLE)], [1])

    def test_other_files_are_refused(self) -> None:
        for data, words in (
            (b"solid cube\n" * 200, "general block"),
            (make_stl().replace(b"STL25.01", b"STL99.01"), "STL99.01"),
        ):
            with self.subTest(words), self.assertRaisesRegex(CaptionsRefused, words):
                read_captions(data, "film.stl")


class ReadingTest(TestCase):
    def test_documents_survive_json(self) -> None:
        for data, name in (
            (SRT.encode(), "a.srt"),
            (TTML.encode(), "a.ttml"),
            (make_scc(), "a.scc"),
            (make_stl(), "a.stl"),
        ):
            found = read_captions(data, name)
            self.assertEqual(document_from_json(document_to_json(found)), found, name)

    def test_contents_go_before_the_name(self) -> None:
        found = read_captions(VTT.encode(), "film.srt")
        self.assertEqual(found.format, "WebVTT")
        self.assertIn("this is WebVTT", found.remarks[0].says)
        for data, name in ((b"", "a.srt"), (b"hello", "a.txt"), (b"x" * (33 << 20), "a.srt")):
            with self.assertRaises(CaptionsRefused):
                read_captions(data, name)

    def test_names_that_stand_beside_a_file(self) -> None:
        for name, beside in (("FILM.srt", True), ("film.en.vtt", True), ("film2.srt", False), ("fil.srt", False)):
            self.assertEqual(belongs_to(name, "Film.mov"), beside, name)

    def test_a_file_without_its_first_word_is_told_by_its_name_and_its_times(self) -> None:
        bare = VTT.split("\n\n", 1)[1].encode()
        found = read_captions(bare, "film.vtt")
        self.assertEqual(
            (found.format, len(found.captions)), ("WebVTT", len(read_captions(VTT.encode(), "a.vtt").captions))
        )
        self.assertIn("expected WEBVTT", found.remarks[0].says)
        found = read_captions(SRT.encode(), "film.vtt")
        self.assertEqual((found.format, found.remarks[0].says), ("SRT", "the name ends in .vtt, but this is SRT"))

    def test_rows_without_end_and_captions_without_number_are_over_soon(self) -> None:
        # A pattern that looks back over a whole row at each of its signs would take hours over these.
        for row in ("1:00" * 200_000, "<a" * 400_000, "{\\" * 400_000, "0:00 -> " * 100_000, "Ã" * 400_000):
            data = f"1\n00:00:01,000 --> 00:00:02,000\n{row}\n\n{row}\n".encode()
            self.assertEqual(len(read_captions(data, "long.srt").captions), 1)
        many = "".join(f"{at}\n00:00:01,000 --> 00:00:02,000\na\n\n" for at in range(100_001))
        with self.assertRaisesRegex(CaptionsRefused, "more than 100,000"):
            read_captions(many.encode(), "many.srt")
        numbered = f"{'1' * 100_000}\n00:00:01,000 --> 00:00:02,000\na\n"
        self.assertEqual(len(read_captions(numbered.encode(), "number.srt").captions), 1)
        for time in (f"{'1' * 100_000}s", f"{'1' * 100_000}:00:00"):
            timed = TTML.replace('begin="', f'begin="{time}" was="', 1)
            found = read_captions(timed.encode(), "time.ttml")
            self.assertIn("as a time", found.remarks[0].says)
        endless = bytearray(make_stl(((10, 0, 1, 0), (10, 0, 2, 0), b"Text")))
        endless[1024 + 3] = 0  # a block that says: more follows
        found = read_captions(bytes(endless + endless[1024:] * 100_000), "endless.stl")
        self.assertEqual(
            [one.says for one in found.remarks if one.line == 1],
            ["the text that begins in this block has no last block (extension FF); it was read as far as it goes"],
        )

    def test_noise_is_read_or_refused_and_never_breaks(self) -> None:
        import random

        chance = random.Random(7)
        seeds = [
            SRT.encode(),
            VTT.encode(),
            TTML.encode(),
            make_scc(),
            make_stl(((10, 0, 1, 0), (10, 0, 2, 0), b"Text")),
        ]
        names = ["a.srt", "a.vtt", "a.ttml", "a.scc", "a.stl"]
        read = 0
        for number in range(1500):
            data = bytearray(seeds[number % 5])
            for _ in range(chance.randrange(1, 30)):
                data[chance.randrange(len(data))] = chance.randrange(256)
            try:
                found = read_captions(bytes(data), names[number % 5])
            except CaptionsRefused:
                continue
            read += 1
            self.assertEqual(document_from_json(document_to_json(found)), found)
        self.assertGreater(read, 700)
