"""The registry of characteristics: the one list of what can be known about a file.

The spec format, the judge, the pages, the reports and the command line all use these ids. An id never changes meaning.
"""

from __future__ import annotations

from brisk_core.facts.characteristic import Characteristic, Group, JudgedBy, Stage, Witness
from brisk_core.facts.kinds import Kind

_LETTERS = {"D": Witness.DECLARED, "C": Witness.CODED, "O": Witness.OBSERVED}
SCANS = ("progressive", "interlaced", "progressive-as-fields", "pulldown-3:2", "mixed")
WRAPPERS = (
    "mp4", "mov", "mxf-op1a", "mxf-opatom", "mxf-other", "mpeg-ts", "mpeg-ps", "matroska", "webm", "avi", "wav", "other",
)  # fmt: skip
CODECS = (
    "avc", "hevc", "mpeg2", "mpeg1", "mpeg4", "prores", "vc3", "ffv1", "jpeg2000", "mjpeg", "raw", "v210", "vp8", "vp9",
    "av1", "other",
)  # fmt: skip
CHROMAS = ("4:0:0", "4:1:1", "4:2:0", "4:2:2", "4:4:4")
CADENCES = ("none", "2:2", "3:2", "4:1 repeat", "irregular")
SHIFTS = ("none", "squeezed", "squeezed-twice", "stretched", "stretched-twice")

REGISTRY: dict[str, Characteristic] = {}


def _add(
    id_: str,
    label: str,
    group: Group,
    kind: Kind,
    witnesses: str,
    definition: str,
    *,
    standard: str = "",
    unit: str = "",
    choices: tuple[str, ...] = (),
    per_track: bool = False,
    stage: Stage = Stage.PACKETS,
    judged_by: JudgedBy = JudgedBy.ALL,
) -> None:
    REGISTRY[id_] = Characteristic(
        id=id_,
        label=label,
        group=group,
        kind=kind,
        witnesses=frozenset(_LETTERS[letter] for letter in witnesses),
        definition=definition,
        stage=stage,
        standard=standard,
        unit=unit,
        choices=choices,
        per_track=per_track,
        judged_by=judged_by,
    )


def characteristic(id_: str) -> Characteristic:
    """Return the characteristic with this id; raises ``KeyError`` for an unknown one."""
    return REGISTRY[id_]


def _register_file_and_wrapper() -> None:
    g = Group.FILE
    _add("file.name", "Name", g, Kind.TEXT, "D", "The file's name as stored.")
    _add("file.extension", "Extension", g, Kind.TEXT, "D", "What follows the last dot of the name, in lower case.")
    _add("file.size", "File size", g, Kind.BYTES, "D", "Bytes as stored.")
    _add(
        "file.checksum", "Checksum", g, Kind.OBJECT, "O", "Digests of the whole file, streamed once.", stage=Stage.WHOLE
    )
    _add(
        "file.contradictions",
        "Contradictions",
        g,
        Kind.TEXTS,
        "O",
        "Places where the witnesses contradict each other, a sentence each.",
    )
    g = Group.WRAPPER
    iso = "ISO/IEC 14496-12"
    _add("wrapper.format", "Wrapper", g, Kind.CHOICE, "DO", "The wrapper: declared by the extension, observed by signature and structure.",
         choices=WRAPPERS, stage=Stage.HEADERS, judged_by=JudgedBy.OBSERVED)  # fmt: skip
    _add(
        "wrapper.brands",
        "Brands",
        g,
        Kind.TEXTS,
        "D",
        "Major and compatible brands, major first.",
        standard=f"{iso}, 4.3",
    )
    _add("wrapper.complete", "Complete", g, Kind.FLAG, "O", "The index is present and every indexed sample lies inside the file.",
         standard=f"{iso}; SMPTE ST 377-1", stage=Stage.HEADERS)  # fmt: skip
    _add(
        "wrapper.damage",
        "Damage",
        g,
        Kind.TEXTS,
        "O",
        "Stretches of the file that could not be read or are missing, a sentence each.",
    )
    _add("wrapper.index_first", "Index first", g, Kind.FLAG, "O", "The index stands before the media, so playing can start while the file still loads.",
         standard=iso, stage=Stage.HEADERS)  # fmt: skip
    _add(
        "wrapper.fragmented",
        "Fragmented",
        g,
        Kind.FLAG,
        "D",
        "The media is cut into movie fragments.",
        standard=f"{iso}, 8.8",
    )
    _add("wrapper.duration", "Duration", g, Kind.SECONDS, "DO", "Length of the presentation; observed: end of the last picture minus start of the first.",
         judged_by=JudgedBy.OBSERVED)  # fmt: skip
    _add(
        "wrapper.bitrate",
        "Whole bit rate",
        g,
        Kind.BIT_RATE,
        "DO",
        "File size in bits over the duration.",
        judged_by=JudgedBy.OBSERVED,
    )
    _add("wrapper.start_timecode", "Start timecode", g, Kind.TIMECODE, "DC", "The timecode of the first frame.",
         standard="SMPTE ST 12-1; ISO/IEC 13818-2, 6.3.8", judged_by=JudgedBy.FIRST)  # fmt: skip
    _add("wrapper.edit_offset", "Edit offset", g, Kind.SECONDS, "D", "Shift of the presentation by edit lists, for each track.",
         standard=f"{iso}, 8.6.6", per_track=True)  # fmt: skip
    _add("wrapper.tracks", "Tracks", g, Kind.TRACKS, "D", "The tracks in the wrapper's order.")


def _register_picture() -> None:
    g = Group.PICTURE
    h273 = "ITU-T H.273"
    _add(
        "picture.codec",
        "Codec",
        g,
        Kind.CHOICE,
        "DC",
        "The picture codec: declared by sample entry, label or stream type, coded by the stream's own magic.",
        choices=CODECS,
    )
    _add("picture.codec_label", "Codec label", g, Kind.TEXT, "D", "Four-character code or universal label.")
    _add("picture.profile", "Profile", g, Kind.TEXT, "DC", "The codec's profile as its standard names it.")
    _add("picture.level", "Level", g, Kind.TEXT, "DC", "The codec's level as its standard names it.")
    _add("picture.level_exceeded", "Beyond its level", g, Kind.TEXTS, "O", "Limits of the coded profile and level that the stream exceeds, a sentence each.",
         standard="ITU-T H.264, A.3; H.265, A.4; H.262, 8.3; AV1, A.3")  # fmt: skip
    _add("picture.tier", "Tier", g, Kind.TEXT, "DC", "The tier of codecs that have one.", standard="ITU-T H.265, A.4")
    _add(
        "picture.entropy",
        "Entropy coding",
        g,
        Kind.CHOICE,
        "C",
        "How AVC codes its symbols.",
        choices=("cabac", "cavlc"),
        standard="ITU-T H.264, 7.4.2.2",
    )
    _add(
        "picture.ref_frames",
        "Reference frames",
        g,
        Kind.COUNT,
        "C",
        "The most reference frames the stream may use.",
        standard="ITU-T H.264, 7.4.2.1.1",
    )
    _add("picture.slices", "Slices", g, Kind.COUNT, "O", "Slices of a picture, the most met in the first 50 pictures.")
    _add(
        "picture.b_frames",
        "B pictures in a row",
        g,
        Kind.COUNT,
        "O",
        "The longest run of B pictures in presentation order.",
    )
    _add("picture.coded_size", "Coded size", g, Kind.SIZE, "C", "Size before cropping.")
    _add("picture.size", "Size", g, Kind.SIZE, "DC", "Size after cropping or clean aperture.")
    _add("picture.pixel_aspect", "Pixel aspect", g, Kind.RATIO, "DC", "Width of a sample over its height.")
    _add("picture.display_aspect", "Display aspect", g, Kind.RATIO, "DC", "The shape a viewer sees, after rotation.")
    _add(
        "picture.rotation",
        "Rotation",
        g,
        Kind.COUNT,
        "D",
        "Clockwise turn that the display matrix asks of a player.",
        unit="°",
    )
    _add(
        "picture.frame_rate",
        "Frame rate",
        g,
        Kind.RATE,
        "DCO",
        "Frames (never fields) a second; observed: the standard rate that fits all presentation times within half a tick, else the mean.",
    )
    _add("picture.rate_mode", "Rate mode", g, Kind.CHOICE, "CO", "Constant when every step is within one tick of the frame period.",
         choices=("constant", "variable"), judged_by=JudgedBy.OBSERVED)  # fmt: skip
    _add("picture.frame_count", "Frames", g, Kind.COUNT, "DO", "Number of presented frames.")
    _add("picture.chroma", "Chroma", g, Kind.CHOICE, "DC", "Chroma subsampling.", choices=CHROMAS)
    _add(
        "picture.bit_depth",
        "Bit depth",
        g,
        Kind.COUNT,
        "DCO",
        "Bits a sample; observed: bits really used.",
        unit="bit",
        stage=Stage.PICTURES,
    )
    _add("picture.alpha", "Alpha", g, Kind.CHOICE, "DCO", "Transparency carried beside the picture.",
         choices=("none", "present", "straight", "premultiplied", "opaque"), stage=Stage.PICTURES)  # fmt: skip
    _add("picture.primaries", "Colour primaries", g, Kind.TEXT, "DC", "Colour primaries.", standard=f"{h273}, table 2")
    _add("picture.transfer", "Transfer", g, Kind.TEXT, "DC", "Transfer characteristics.", standard=f"{h273}, table 3")
    _add("picture.matrix", "Matrix", g, Kind.TEXT, "DC", "Matrix coefficients.", standard=f"{h273}, table 4")
    _add(
        "picture.hdr",
        "HDR metadata",
        g,
        Kind.OBJECT,
        "DC",
        "Mastering display and content light level.",
        standard="SMPTE ST 2086; CTA-861",
    )
    g = Group.SCAN
    _add(
        "picture.scan",
        "Scan",
        g,
        Kind.CHOICE,
        "DCO",
        "Whether a frame shows one moment or two.",
        choices=SCANS,
        stage=Stage.PICTURES,
    )
    _add(
        "picture.field_order",
        "Field order",
        g,
        Kind.CHOICE,
        "DCO",
        "Which field is earlier in time.",
        choices=("top", "bottom"),
        stage=Stage.PICTURES,
    )
    for name, label, definition in (
        ("freeze", "Freezes", "No new picture for at least the limit."),
        ("repeat", "Repeated frames", "Frames that show the former one again."),
        ("blend", "Blended frames", "Frames that are a weighted mean of two others."),
        ("drop", "Dropped frames", "Motion jumps by two steps where neighbours step once."),
        ("comb", "Combing", "Frames whose fields disagree in a stream said to be progressive."),
    ):
        _add(f"content.{name}", label, g, Kind.SPANS, "O", definition, stage=Stage.PICTURES)
    _add(
        "content.cadence",
        "Cadence",
        g,
        Kind.CHOICE,
        "O",
        "Repeating pattern of repeats or blends.",
        choices=CADENCES,
        stage=Stage.PICTURES,
    )
    g = Group.LEVELS
    _add("picture.range", "Range", g, Kind.CHOICE, "DCO", "Narrow or full range of code values; observed only where the evidence is strong.",
         choices=("narrow", "full"), standard=h273, stage=Stage.PICTURES)  # fmt: skip
    _add(
        "content.levels",
        "Levels",
        g,
        Kind.OBJECT,
        "O",
        "Smallest and largest code values and the shares outside narrow range.",
        standard="EBU R 103",
        stage=Stage.PICTURES,
    )
    _add(
        "content.level_shift",
        "Level shift",
        g,
        Kind.CHOICE,
        "O",
        "Signature of a wrong range conversion.",
        choices=SHIFTS,
        stage=Stage.PICTURES,
    )
    _add(
        "content.black",
        "Black",
        g,
        Kind.SPANS,
        "O",
        "Luma stays below the limit for at least the limit's length.",
        stage=Stage.PICTURES,
    )
    _add(
        "content.flash",
        "Flashes",
        g,
        Kind.SPANS,
        "O",
        "Opposing luminance changes faster than three a second over a quarter of the screen.",
        standard="ITU-R BT.1702",
        stage=Stage.PICTURES,
    )
    g = Group.PICTURE
    _add(
        "content.active_area",
        "Active area",
        g,
        Kind.AREA,
        "O",
        "The smallest area that ever carries picture.",
        stage=Stage.PICTURES,
    )
    _add(
        "content.bars",
        "Bars",
        g,
        Kind.CHOICE,
        "O",
        "Black bars around the active area.",
        choices=("none", "top-bottom", "sides", "all"),
        stage=Stage.PICTURES,
    )
    _add(
        "content.detail",
        "Effective size",
        g,
        Kind.SIZE,
        "O",
        "The largest size at which nothing would be lost.",
        stage=Stage.PICTURES,
    )
    _add(
        "content.blockiness",
        "Blockiness",
        g,
        Kind.NUMBER,
        "O",
        "Energy on the coding grid over energy beside it; 1 is none.",
        stage=Stage.PICTURES,
    )


def _register_bits_and_time() -> None:
    g = Group.BIT_RATE
    only = JudgedBy.OBSERVED
    _add("bitrate.average", "Mean", g, Kind.BIT_RATE, "DCO", "Mean bit rate of the picture track.", judged_by=only)
    _add(
        "bitrate.peak_1s",
        "Peak in one second",
        g,
        Kind.BIT_RATE,
        "O",
        "The most bits in any one-second window stepped by one frame, in decode order.",
    )
    _add(
        "bitrate.low_1s",
        "Low in one second",
        g,
        Kind.BIT_RATE,
        "O",
        "The fewest bits in any one-second window stepped by one frame, in decode order.",
    )
    _add("bitrate.mode", "Bit rate mode", g, Kind.CHOICE, "CO", "Constant when a buffer filled at the mean rate stays within one second of data.",
         choices=("constant", "variable"), judged_by=only)  # fmt: skip
    _add(
        "bitrate.buffer",
        "Buffer",
        g,
        Kind.OBJECT,
        "CO",
        "Leaky bucket for a rate and a size given by the spec.",
        standard="ISO/IEC 14496-10, Annex C; 13818-2, Annex C",
        judged_by=only,
    )
    _add(
        "bitrate.bits_per_pixel",
        "Bits per pixel",
        g,
        Kind.NUMBER,
        "O",
        "Mean bits of a picture over its samples of luma.",
    )
    _add("bitrate.by_type", "Size by picture type", g, Kind.OBJECT, "O", "Mean bits of I, P and B pictures.")
    _add(
        "gop.longest",
        "Longest group",
        g,
        Kind.COUNT,
        "O",
        "The largest distance of random access points.",
        unit="frames",
    )
    _add(
        "gop.shortest",
        "Shortest group",
        g,
        Kind.COUNT,
        "O",
        "The smallest distance of random access points.",
        unit="frames",
    )
    _add(
        "gop.open",
        "Open groups",
        g,
        Kind.FLAG,
        "CO",
        "Pictures after a random access point need the former group.",
        judged_by=only,
    )
    _add("gop.pattern", "Group pattern", g, Kind.TEXT, "O", "The most frequent order of picture types.")
    g = Group.WRAPPER
    _add("timing.gaps", "Gaps in time", g, Kind.SPANS, "O", "Missing or overlong presentation steps.")
    _add(
        "timing.steps",
        "Steps in time",
        g,
        Kind.OBJECT,
        "O",
        "Mean, smallest and largest step between presented pictures, in seconds.",
    )
    _add(
        "timing.duplicates",
        "Duplicate times",
        g,
        Kind.SPANS,
        "O",
        "Pictures that share their presentation time with the one before.",
    )
    _add("timing.disorder", "Times out of order", g, Kind.SPANS, "O",
         "Packets, counted in decode order, whose decode time goes back or comes after their presentation time.")  # fmt: skip
    g = Group.SOUND
    _add(
        "timing.sound_gaps",
        "Gaps in the sound",
        g,
        Kind.TEXTS,
        "O",
        "Stretches of a sound track for which no packet comes, a sentence each.",
    )
    _add(
        "timing.sound_offset",
        "Sound offset",
        g,
        Kind.SECONDS,
        "O",
        "Start of the first sound minus start of the first picture.",
    )
    _add(
        "timing.sound_length_difference",
        "Sound length difference",
        g,
        Kind.SECONDS,
        "O",
        "End of the last sound minus end of the last picture.",
    )


def _register_sound_and_text() -> None:
    g = Group.SOUND
    _add("sound.tracks", "Sound tracks", g, Kind.COUNT, "D", "Number of sound tracks.")
    _add("sound.codec", "Sound codec", g, Kind.TEXT, "DC", "The sound codec of each track.", per_track=True)
    _add(
        "sound.sample_rate",
        "Sample rate",
        g,
        Kind.COUNT,
        "DC",
        "Samples a second of each track.",
        unit="Hz",
        per_track=True,
    )
    _add(
        "sound.bit_depth",
        "Sound bit depth",
        g,
        Kind.COUNT,
        "DCO",
        "Bits a sample; observed: bits really used.",
        unit="bit",
        per_track=True,
        stage=Stage.SAMPLES,
    )
    _add(
        "sound.channels",
        "Channels",
        g,
        Kind.COUNT,
        "DCO",
        "Channels of each track; observed: channels that are not silent.",
        per_track=True,
        stage=Stage.SAMPLES,
    )
    _add("sound.layout", "Layout", g, Kind.TEXT, "DC", "Loudspeaker layout of each track.", per_track=True)
    _add(
        "sound.bitrate",
        "Sound bit rate",
        g,
        Kind.BIT_RATE,
        "DCO",
        "Bit rate of each track.",
        per_track=True,
        judged_by=JudgedBy.OBSERVED,
    )
    _add("sound.start", "Start of the sound", g, Kind.SECONDS, "D", "Time of the first sample since midnight, by the time reference of a broadcast wave.",
         standard="EBU Tech 3285, 2.3")  # fmt: skip
    r128 = "ITU-R BS.1770; EBU R 128"
    for name, label, unit, definition, standard in (
        ("loudness", "Loudness", "LUFS", "Integrated programme loudness.", r128),
        ("loudness_range", "Loudness range", "LU", "Spread of loudness.", "EBU Tech 3342"),
        ("short_max", "Loudest 3 s", "LUFS", "Largest short-term loudness.", "EBU Tech 3341"),
        ("momentary_max", "Loudest 0.4 s", "LUFS", "Largest momentary loudness.", "EBU Tech 3341"),
        ("true_peak", "True peak", "dBTP", "Largest value between samples too.", "ITU-R BS.1770, Annex 2"),
        ("phase", "Phase", "", "Correlation of left and right, −1 to 1.", ""),
        ("dc_offset", "DC offset", "", "Mean of the samples, full scale 1.", ""),
    ):
        _add(
            f"sound.{name}",
            label,
            g,
            Kind.NUMBER,
            "O",
            definition,
            standard=standard,
            unit=unit,
            per_track=True,
            stage=Stage.SAMPLES,
        )
    for name, label, definition in (
        ("clipping", "Clipping", "Runs of samples at full scale, in seconds."),
        ("silence", "Silence", "Below −60 dBFS for at least the limit, in seconds."),
        ("dropout", "Dropouts", "Sound falls to nothing and returns inside a second, in seconds."),
        ("click", "Clicks", "Impulses that local prediction cannot explain, in seconds."),
    ):
        _add(f"sound.{name}", label, g, Kind.SPANS, "O", definition, per_track=True, stage=Stage.SAMPLES)
    _add(
        "sound.same_channels",
        "Same channels",
        g,
        Kind.FLAG,
        "O",
        "Two channels carry the same samples.",
        per_track=True,
        stage=Stage.SAMPLES,
    )
    g = Group.CAPTIONS
    _add("text.captions", "Captions", g, Kind.CAPTIONS, "DO", "Text tracks, embedded or beside the file.")
    _add("text.chapters", "Chapters", g, Kind.CHAPTERS, "DO", "Places a player can jump to.", judged_by=JudgedBy.FIRST)
    for name, label, definition in (
        ("overlap", "Overlapping captions", "Captions that are on screen at the same time by mistake."),
        ("reading_speed", "Reading speed", "Captions that must be read too fast."),
        ("out_of_range", "Captions out of range", "Captions outside the programme."),
        ("rate_mismatch", "Captions at a wrong rate", "Captions timed for another frame rate."),
        ("line_length", "Caption line length", "Lines of captions that are too long."),
    ):
        _add(f"text.{name}", label, g, Kind.SPANS, "O", definition)


def _register_checks() -> None:
    g = Group.TIMELINE
    for name, label in (
        ("size", "Size of the timeline"),
        ("frame_rate", "Rate of the timeline"),
        ("scan", "Scan of the timeline"),
        ("pixel_aspect", "Pixel aspect of the timeline"),
        ("start_timecode", "Start of the timeline"),
        ("sample_rate", "Sample rate of the timeline"),
    ):
        _add(f"edit.{name}", label, g, Kind.OBJECT, "O", "File against the timeline.", stage=Stage.CHECK)
    _add(
        "edit.length",
        "Length",
        g,
        Kind.OBJECT,
        "O",
        "Frames expected for the range, found, and their difference.",
        unit="frames",
        stage=Stage.CHECK,
    )
    _add(
        "edit.cuts", "Cuts in place", g, Kind.OBJECT, "O", "Cuts of the timeline against cuts seen.", stage=Stage.CHECK
    )
    _add(
        "edit.shots",
        "Shots",
        g,
        Kind.OBJECT,
        "O",
        "Where each event of the timeline is in the file.",
        stage=Stage.CHECK,
    )
    g = Group.MASTER
    for name, label in (
        ("map", "Map to the master"),
        ("level_curve", "Level curve"),
        ("geometry", "Geometry"),
        ("similarity", "Similarity"),
        ("sound", "Sound against the master"),
    ):
        _add(
            f"master.{name}",
            label,
            g,
            Kind.OBJECT,
            "O",
            "The file against a master or an earlier render.",
            stage=Stage.CHECK,
        )


_register_file_and_wrapper()
_register_picture()
_register_bits_and_time()
_register_sound_and_text()
_register_checks()
