"""Why a characteristic is asked for at all, and what to change: for lines whose spec and whose rule give no reason."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_core.captions import CAPTION_REMEDIES
from brisk_core.errors import ValueRefused
from brisk_core.facts import Characteristic, keys


@dataclass(frozen=True, slots=True)
class Reason:
    """A why and a remedy; ``{required}`` in the remedy stands for what the line asks."""

    why: str
    remedy: str


_GENERAL = Reason(
    "A receiver that expects something else may refuse the file, or convert it in its own way.",
    "Set it in the export to {required}.",
)
_BY_GAIN = "Change the gain of the mix so that it measures {required}, then check the true peak again."
_REASONS: dict[str, Reason] = {
    keys.FILE_NAME.id: Reason(
        "The receiver files by name; another name is sorted to the wrong place or to nobody.",
        "Rename the file to fit {required}.",
    ),
    keys.FILE_SIZE.id: Reason(
        "A file above the cap is refused at the door.", "Lower the video bit rate until it fits."
    ),
    keys.WRAPPER_FORMAT.id: Reason(
        "The receiver opens one kind of wrapper; another is refused or wrapped anew, with losses nobody sees.",
        "Choose the wrapper {required} in the export.",
    ),
    keys.WRAPPER_COMPLETE.id: Reason(
        "A copy that was cut short plays up to a point and then stops.",
        "Copy or export the file again and compare sizes at both ends.",
    ),
    keys.WRAPPER_INDEX_FIRST.id: Reason(
        "A site that reads the file while it comes in has to wait for its last bytes, or refuses it.",
        "Switch on the setting that puts the index at the start; no new encode is needed.",
    ),
    keys.WRAPPER_DURATION.id: Reason(
        "A slot has a length; what is longer is cut.", "Set in and out so that it fits {required}."
    ),
    keys.WRAPPER_BITRATE.id: Reason(
        "Picture, sound and text together must pass through the same door.",
        "Lower the maximum bit rate of picture or sound until the whole fits {required}.",
    ),
    keys.WRAPPER_START_TIMECODE.id: Reason(
        "Whoever cues, captions or continues by timecode is off by the difference.",
        "Set the timeline's start timecode to {required}, and let the export carry it.",
    ),
    keys.PICTURE_CODEC.id: Reason(
        "A receiver decodes what it was built for.", "Choose the codec {required} in the export."
    ),
    keys.PICTURE_PROFILE.id: Reason(
        "A profile is the set of tools a decoder must know; one tool too many and it shows nothing.",
        "Set the profile of the export to {required}.",
    ),
    keys.PICTURE_LEVEL.id: Reason(
        "A level is what a decoder must bear in samples and bits; above it the picture stutters or stays black.",
        "Set the level of the export to {required}.",
    ),
    keys.PICTURE_ENTROPY.id: Reason(
        "The simpler coding wastes about a tenth of the bits.", "Switch on {required} in the export."
    ),
    keys.PICTURE_REF_FRAMES.id: Reason(
        "Each reference picture takes memory that a player may not have.", "Set reference frames to {required}."
    ),
    keys.PICTURE_SLICES.id: Reason(
        "Slices keep damage small and decode side by side.", "Set slices a picture to {required}."
    ),
    keys.PICTURE_B_FRAMES.id: Reason(
        "Long runs of B pictures need more memory and delay than a player has.",
        "Set B pictures in a row to {required}.",
    ),
    keys.PICTURE_SIZE.id: Reason(
        "A receiver scales, crops or pads another size by its own choice.",
        "Set the export's size to {required}, and look at what fills the frame when the shape differs.",
    ),
    keys.PICTURE_PIXEL_ASPECT.id: Reason(
        "Players that ignore the shape of pixels show the picture stretched.", "Export with pixels of {required}."
    ),
    keys.PICTURE_DISPLAY_ASPECT.id: Reason(
        "A wrong shape stretches every face.", "Set the display aspect of the export to {required}."
    ),
    keys.PICTURE_ROTATION.id: Reason(
        "Copies made by a site often lose the turn, and the picture lies on its side.",
        "Export upright pixels in place of a turn in the display matrix.",
    ),
    keys.PICTURE_FRAME_RATE.id: Reason(
        "At another rate frames are dropped, repeated or blended on the way, which shows in every pan.",
        "Set the export's frame rate to exactly {required}.",
    ),
    keys.PICTURE_RATE_MODE.id: Reason(
        "With a variable frame rate, sound slips and edits land between frames.",
        "Conform the source to a constant rate before editing, and export at a constant rate.",
    ),
    keys.PICTURE_SCAN.id: Reason(
        "A picture shown the wrong way combs or loses half its lines.", "Set fields of the export to {required}."
    ),
    keys.PICTURE_FIELD_ORDER.id: Reason(
        "Shown in the wrong order, motion steps back fifty or sixty times a second.",
        "Set the field order of the export to {required} field first.",
    ),
    keys.PICTURE_CHROMA.id: Reason(
        "Colour that was thrown away cannot be brought back.", "Export again from the timeline with {required}."
    ),
    keys.PICTURE_BIT_DEPTH.id: Reason(
        "Too few bits show steps in skies and fades.", "Set the depth of the export to {required}."
    ),
    keys.PICTURE_ALPHA.id: Reason(
        "What is laid over another picture needs its edges.", "Switch alpha in the export accordingly."
    ),
    keys.PICTURE_HDR.id: Reason("Sets use it to map the picture to what they can show.", "Fill in the light metadata."),
    keys.PICTURE_PRIMARIES.id: Reason(
        "Without a description each player guesses, and reds and greens shift.", "Flag colour primaries as {required}."
    ),
    keys.PICTURE_TRANSFER.id: Reason(
        "Without a description each player guesses, and the picture comes out too light or too dark.",
        "Flag the transfer as {required}.",
    ),
    keys.PICTURE_MATRIX.id: Reason(
        "Without a description each player guesses, and skin turns green or orange.", "Flag the matrix as {required}."
    ),
    keys.PICTURE_STEREO_PACKING.id: Reason(
        "A set that does not know of two views shows both beside or over each other.",
        "Export for one view, or with the packing {required}.",
    ),
    keys.PICTURE_ENCODER_NOTE.id: Reason(
        "The note tells with which settings, and in how many passes, the picture was made.",
        "Encode it again as {required}.",
    ),
    keys.PICTURE_RANGE.id: Reason(
        "Read the wrong way, blacks turn grey or drown.", "Export in {required} range and flag it so."
    ),
    keys.BITRATE_AVERAGE.id: Reason(
        "Too few bits spoil the picture where it moves; too many are thrown away by the receiver.",
        "Set the video bit rate of the export to {required}.",
    ),
    keys.BITRATE_MAXIMUM.id: Reason(
        "A receiver reserves what the headers promise, and refuses what promises too much.",
        "Give the encoder {required} as its peak, so that the headers promise no more.",
    ),
    keys.BITRATE_PEAK_1S.id: Reason(
        "Above the peak the picture stops while the player waits for bits.",
        "Set the maximum bit rate of the export to {required}.",
    ),
    keys.BITRATE_BUFFER.id: Reason(
        "A player's buffer that runs empty shows a standing or broken picture.",
        "Set the maximum bit rate and the buffer of the export to those of the order.",
    ),
    keys.BITRATE_BITS_PER_PIXEL.id: Reason(
        "Bits far off the usual point to an empty picture or a wrong setting.", "Compare the export's quality setting."
    ),
    keys.GOP_LONGEST.id: Reason(
        "Players cue and search by random access points; long groups make both slow.",
        "Set the group of pictures to {required} frames.",
    ),
    keys.GOP_OPEN.id: Reason(
        "After a jump, pictures that need the previous group come out broken.", "Switch on closed groups of pictures."
    ),
    keys.SOUND_TRACKS.id: Reason(
        "Receivers find languages and mixes by track.", "Export with sound tracks: {required}."
    ),
    keys.SOUND_CODEC.id: Reason("A receiver plays the sound it was built for.", "Set the sound codec to {required}."),
    keys.SOUND_SAMPLE_RATE.id: Reason(
        "Sound at another sample rate is converted on the way, or plays at the wrong speed and pitch.",
        "Set the sample rate to {required} through the whole chain.",
    ),
    keys.SOUND_BIT_DEPTH.id: Reason("Too few bits hiss in quiet places.", "Set the depth of the sound to {required}."),
    keys.SOUND_CHANNELS.id: Reason(
        "Another number of channels is mixed down or comes out of the wrong loudspeaker.",
        "Set the channels of each track to {required}.",
    ),
    keys.SOUND_BITRATE.id: Reason(
        "Too few bits make speech hollow and applause gurgle.", "Set the sound bit rate to {required}."
    ),
    keys.CONTENT_MISTAKES.id: Reason(
        "Each of these has been made before and is known by its trace; it cannot be undone in this file.",
        "Go back to the edit, mend what the sentence names, and export again from the timeline.",
    ),
    keys.CONTENT_COMB.id: Reason(
        "Combs are two moments in one frame: moving edges fray on every screen.",
        "Interpret the clip with its own field order in the edit, or take its fields apart before scaling.",
    ),
    keys.CONTENT_BLEND.id: Reason(
        "Blended frames show every moving edge twice; pans look soft and ghostly.",
        "Switch frame blending off; let frames be dropped or repeated, or convert by motion from the source.",
    ),
    keys.CONTENT_REPEAT.id: Reason(
        "A repeated frame stops all motion for a moment, which shows in pans.",
        "Export at the timeline's own rate, and look whether the render skipped at that place.",
    ),
    keys.CONTENT_DROP.id: Reason(
        "A missing frame makes motion jump.", "Render that stretch again; check that the source plays without gaps."
    ),
    keys.CONTENT_FREEZE.id: Reason(
        "A picture that stands without life is often a clip that ended early or a render that hung.",
        "Look at the clip under it in the edit; if it is meant, have the line waived.",
    ),
    keys.CONTENT_CADENCE.id: Reason(
        "A regular pattern of repeats makes motion stutter in a rhythm.",
        "Export at the rate of the source, or convert once by motion.",
    ),
    keys.CONTENT_BLACK.id: Reason(
        "Black in the middle is often a gap between two clips; at head and tail it belongs to the order.",
        "Close the gap in the edit, or trim head and tail to what is asked.",
    ),
    keys.CONTENT_BARS.id: Reason(
        "Bars mean that the picture was fitted into another shape; a receiver may add its own on top.",
        "Crop or fill in the edit, and set the timeline to the shape that is ordered.",
    ),
    keys.CONTENT_BARS_CHANGE.id: Reason(
        "Bars that come and go show clips of another shape.", "Scale or crop these clips to the timeline's shape."
    ),
    keys.CONTENT_ACTIVE_AREA.id: Reason(
        "The picture must fill what is ordered.", "Crop or fill in the edit so that the picture covers {required}."
    ),
    keys.CONTENT_LEVEL_SHIFT.id: Reason(
        "Blacks turn grey or drown when a range is converted once too often.",
        "Let one place alone convert the range, the export or the clip, not both.",
    ),
    keys.CONTENT_OUTSIDE_NARROW.id: Reason(
        "What lies outside is cut off by transmitters and sets.",
        "Put a limiter for luma and colour on the timeline before the export.",
    ),
    keys.CONTENT_FLASH.id: Reason(
        "Flashes faster than three a second over a quarter of the screen can harm viewers.",
        "Slow the flashes down, darken them, or make them smaller.",
    ),
    keys.CONTENT_DETAIL.id: Reason(
        "An enlarged picture has no more detail than before, only more bits.",
        "Use the clip at its own size, or order the lines that it has.",
    ),
    keys.CONTENT_BLOCKINESS.id: Reason(
        "Visible blocks come from too few bits, here or in a generation before.",
        "Raise the bit rate, and start from the source rather than from a copy.",
    ),
    keys.CONTENT_UNREADABLE.id: Reason(
        "Pictures that cannot be decoded are black, grey or broken at the viewer.",
        "Copy the file again; if it stays so, export again.",
    ),
    keys.CONTENT_BURST.id: Reason(
        "A changed bit that still decodes is noticed by no decoder, but viewers see broken blocks until the next "
        "random access point.",
        "Look at the place. If it is broken, copy the file again and compare its checksum; else export again.",
    ),
    keys.SOUND_MISTAKES.id: Reason(
        "Each of these has been made before and is heard at once by whoever listens with two ears, or with one.",
        "Mend the routing or the phase of the channel that is named, and mix again.",
    ),
    keys.SOUND_PROGRAMME_LOUDNESS.id: Reason(
        "Programmes of different loudness make viewers reach for the volume; receivers turn them down or refuse them.",
        _BY_GAIN,
    ),
    keys.SOUND_LOUDNESS.id: Reason(
        "Programmes of different loudness make viewers reach for the volume.",
        _BY_GAIN,
    ),
    keys.SOUND_TRUE_PEAK.id: Reason(
        "Peaks between the samples distort when the sound is coded or converted.",
        "Put a true-peak limiter at {required} on the mix.",
    ),
    keys.SOUND_CLIPPING.id: Reason("Clipping crackles.", "Lower the gain before the limiter and mix again."),
    keys.SOUND_SILENCE.id: Reason(
        "Silence may be meant, or a track that is off.", "Listen there; switch the track on, or have the line waived."
    ),
    keys.SOUND_DROPOUT.id: Reason(
        "A dropout in the sound is heard as a stumble.", "Mix that place again; look for a missing or muted clip."
    ),
    keys.SOUND_UNREADABLE.id: Reason(
        "Sound that cannot be decoded is a gap, a crackle or noise at the listener.",
        "Copy the file again; if it stays so, export its sound again.",
    ),
    keys.SOUND_CLICK.id: Reason("A click startles.", "Put a short fade on the cut under it."),
    keys.SOUND_PHASE.id: Reason(
        "Two channels that work against each other vanish when they are added for one loudspeaker.",
        "Turn the phase of one channel over at its source.",
    ),
    keys.SOUND_SAME_CHANNELS.id: Reason(
        "Left and right that are the same are one channel sold as two.", "Route left and right apart in the mix."
    ),
    keys.SOUND_SILENT_CHANNELS.id: Reason(
        "A silent channel may be a cable off.", "Route sound to it, or leave it out."
    ),
    keys.SOUND_DC_OFFSET.id: Reason("An offset costs headroom and clicks at cuts.", "Filter below 10 Hz."),
    keys.TEXT_OVERLAP.id: Reason("Two captions at one place cover each other.", CAPTION_REMEDIES[keys.TEXT_OVERLAP.id]),
    keys.TEXT_GAP.id: Reason("A gap of a frame or two flickers.", CAPTION_REMEDIES[keys.TEXT_GAP.id]),
    keys.TEXT_READING_SPEED.id: Reason(
        "What goes faster than people read is not read.", CAPTION_REMEDIES[keys.TEXT_READING_SPEED.id]
    ),
    keys.TEXT_LINE_LENGTH.id: Reason(
        "Longer lines are cut off or wrapped anew.", CAPTION_REMEDIES[keys.TEXT_LINE_LENGTH.id]
    ),
    keys.TEXT_LINE_COUNT.id: Reason("More lines cover the picture.", CAPTION_REMEDIES[keys.TEXT_LINE_COUNT.id]),
    keys.TEXT_OUT_OF_RANGE.id: Reason(
        "Captions outside the programme belong to another version of it.",
        CAPTION_REMEDIES[keys.TEXT_OUT_OF_RANGE.id],
    ),
    keys.TEXT_RATE_MISMATCH.id: Reason(
        "Captions of another rate or start drift off what is said.",
        "Export the captions for the rate and the start timecode of this programme.",
    ),
    keys.TEXT_CAPTIONS.id: Reason(
        "Many viewers need captions, and some places must show them.", "Send the captions with the file: {required}."
    ),
    keys.TEXT_CHAPTERS.id: Reason("Viewers jump by chapters.", "Set chapter marks in the timeline and export them."),
    keys.EDIT_CUTS.id: Reason(
        "A wrong version, a wrong range or a missing shot is seen by everybody who knows the programme.",
        "Export the version and the range that are ordered.",
    ),
    keys.EDIT_SHAPE.id: Reason(
        "A picture in another shape than its edit was cut, fitted with bars, or stretched sideways.",
        "Set size and pixel aspect of the export so that the shape stays; where another is ordered, fit or cut.",
    ),
    keys.EDIT_LENGTH.id: Reason(
        "An extra frame belongs to something else, and a missing one to the film.",
        "Set in and out to the range that is ordered.",
    ),
    keys.EDIT_FRAME_RATE.id: Reason(
        "Between rates frames are dropped, repeated or blended on the way.", "Export at the timeline's own rate."
    ),
    keys.EDIT_SIZE.id: Reason("A scaled picture loses sharpness.", "Export at the timeline's own size."),
    keys.EDIT_START_TIMECODE.id: Reason(
        "Lists, captions and notes count from the timeline's timecode.", "Let the export carry the timeline's timecode."
    ),
    keys.EDIT_SAMPLE_RATE.id: Reason(
        "Sound that is converted once more loses a little each time.", "Export at the timeline's own sample rate."
    ),
}


def read_reason(characteristic: Characteristic, why: str, remedy: str) -> Reason:
    """Return a house's own words for a characteristic; what is empty is as it ships.

    ``{required}`` in the remedy stands for what a line asks. Raises ``ValueRefused`` for other marks in braces, and
    where both are empty.
    """
    why, remedy = " ".join(why.split()), " ".join(remedy.split())
    if not why and not remedy:
        raise ValueRefused("met no words; expected why, what to change, or both")
    try:
        remedy.format(required="")
    except (KeyError, IndexError, ValueError, AttributeError):
        raise ValueRefused(f"met {remedy!r}; expected no braces but those of {{required}}") from None
    shipped = reason_for(characteristic)
    return Reason(why or shipped.why, remedy or shipped.remedy)


def reason_for(characteristic: Characteristic) -> Reason:
    """Return the general reason to ask for a characteristic."""
    return _REASONS.get(characteristic.id, _GENERAL)
