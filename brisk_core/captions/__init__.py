"""Captions: files beside the picture and text tracks inside it, read with the line that each stands on, and judged.

From the ground up: ``document``; ``decoding`` and ``plain``; one reader a format (``subrip``, ``webvtt``, ``ttml``,
``line21``, ``ebu_stl``, ``teletext``, ``embedded``) and ``reading``, which chooses; ``placing`` on frames; ``timing``
and ``burned``, what the programme says; ``ruling``, ``timed`` and ``rules``, what is said of it.
"""

from brisk_core.captions.burned import Burned, burned_from_json, burned_to_json, look_for_burned
from brisk_core.captions.document import Caption, CaptionDocument, Clock, Oddity, document_from_json, document_to_json
from brisk_core.captions.embedded import read_caption_data, read_embedded, read_text_tracks
from brisk_core.captions.placing import Placed, Programme, place, programme_of
from brisk_core.captions.reading import EXTENSIONS, LARGEST, belongs_to, is_caption_name, read_captions
from brisk_core.captions.rules import CAPTION_REMEDIES, LIMITS, CaptionRow, hold_captions, list_captions, reading_speed
from brisk_core.captions.ruling import Captioned
from brisk_core.captions.timing import Evidence, evidence_of

__all__ = [
    "CAPTION_REMEDIES",
    "EXTENSIONS",
    "LARGEST",
    "LIMITS",
    "Burned",
    "Caption",
    "CaptionDocument",
    "CaptionRow",
    "Captioned",
    "Clock",
    "Evidence",
    "Oddity",
    "Placed",
    "Programme",
    "belongs_to",
    "burned_from_json",
    "burned_to_json",
    "document_from_json",
    "document_to_json",
    "evidence_of",
    "hold_captions",
    "is_caption_name",
    "list_captions",
    "look_for_burned",
    "place",
    "programme_of",
    "read_caption_data",
    "read_captions",
    "read_embedded",
    "read_text_tracks",
    "reading_speed",
]
