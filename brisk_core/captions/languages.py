"""Which language the name of a caption file tells: ``film.pt-BR.srt``, ``film.en.sdh.srt`` (ISO 639, BCP 47)."""

from __future__ import annotations

import re
from pathlib import PurePosixPath

#: ISO 639-1.
_TWO_LETTERS = """
    aa ab ae af ak am an ar as av ay az ba be bg bh bi bm bn bo br bs ca ce ch co cr cs cu cv cy da de dv dz ee el en
    eo es et eu fa ff fi fj fo fr fy ga gd gl gn gu gv ha he hi ho hr ht hu hy hz ia id ie ig ii ik io is it iu ja jv ka
    kg ki kj kk kl km kn ko kr ks ku kv kw ky la lb lg li ln lo lt lu lv mg mh mi mk ml mn mr ms mt my na nb nd ne ng nl
    nn no nr nv ny oc oj om or os pa pi pl ps pt qu rm rn ro ru rw sa sc sd se sg sh si sk sl sm sn so sq sr ss st su sv
    sw ta te tg th ti tk tl tn to tr ts tt tw ty ug uk ur uz ve vi vo wa wo xh yi yo za zh zu
"""
#: Those of ISO 639-2 that captions come in; codes of three letters are too many to take every one for a language.
_THREE_LETTERS = """
    afr alb sqi amh ara arm hye asm ast aze baq eus bel ben bos bre bul bur mya cat ceb chi zho chr cmn cop cze ces
    dan dut nld eng epo est fao fil fin fre fra fry fur geo kat ger deu gla gle glg gre ell grn gsw guj hat hau haw heb
    hin hmn hrv hun ibo ice isl ind ita jav jpn kal kan kaz khm kin kir kor kur lao lat lav lin lit ltz mac mkd mal mao
    mri mar may msa mlg mlt mon mul nan nep nno nob nor oci ori orm pan per fas pol por pus que roh rum ron run rus san
    sin slo slk slv smo sna snd som sot spa srd srp ssw sun swa swe tam tat tel tgk tgl tha tib bod tir ton tsn tso tuk
    tur uig ukr und urd uzb ven vie wel cym wol xho yid yor yue zul zxx
"""
_TAG = re.compile(r"([a-z]{2,3}|[A-Z]{2,3})((?:[-_][A-Za-z0-9]{2,8})*)")
#: What stands behind a language: what the captions are for, or the extension of the media file.
_BEHIND = """
    caption captions cc default forced foreign full hoh sdh sub subs subtitle subtitles
    avi m2ts m4v mkv mov mp4 mpg mxf ts wav webm
"""
_HARD_OF_HEARING = "hi"  # and Hindi


def language_in(name: str) -> str:
    """Return the language that the name of a file ends in before its extension, "" where it tells none.

    Words that stand behind it are passed over; ISO 639-3 has some of them for languages.
    """
    parts = PurePosixPath(name).name.split(".")[1:-1]
    while parts and parts[-1].lower() in _BEHIND.split():
        parts.pop()
    found = _tag(parts[-1]) if parts else ""
    if found == _HARD_OF_HEARING and len(parts) > 1:
        return _tag(parts[-2]) or found
    return found


def _tag(part: str) -> str:
    match = _TAG.fullmatch(part)
    if match is None:
        return ""
    language = match.group(1).lower()
    known = _TWO_LETTERS if len(language) == 2 else _THREE_LETTERS
    return language + match.group(2).replace("_", "-") if language in known.split() else ""
