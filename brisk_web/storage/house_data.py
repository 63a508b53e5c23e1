"""Workers of a house reach what the others made: they share its data folder, or a store beside folders of their own."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from brisk_web.storage.models import HouseData
from brisk_web.work.starting import before_work


def _note() -> Path:
    """The file that says of which house a data folder is."""
    return Path(settings.DATA_FOLDER) / "house"


class OtherDataFolder(Exception):
    """A data folder that is not the one that the house has, with a sentence."""


def settle(*, new: bool = False) -> None:
    """Note of which house this data folder is, and which store its machines share; as the house is prepared.

    Raises ``OtherDataFolder`` where the house has another one, unless this is to be its new one.
    """
    known, made = HouseData.objects.get_or_create()
    if not (made or new or settings.SHARED) and (says := _is_another(known)):
        raise OtherDataFolder(f"{says}; where its own is lost, manage.py prepare_house --new-data begins with this one")
    HouseData.objects.filter(pk=known.pk).update(shared=settings.SHARED)
    _note().parent.mkdir(parents=True, exist_ok=True)
    _note().write_text(f"{known.pk}\n", encoding="ascii")


def _is_another(known: HouseData) -> str:
    """Say that the data folder here is not that of the house; empty where it is."""
    if _note().is_file() and _note().read_text(encoding="ascii", errors="replace").strip() == str(known.pk):
        return ""
    return (
        f"{settings.DATA_FOLDER} is not the data folder of this house; set BRISK_DATA to the folder that its machines "
        "share, or BRISK_SHARED, here and where the house is started, to a store such as s3://bucket/house"
    )


@before_work
def reaches_the_others() -> str:
    """Say why a worker here would not find what other workers made; empty where it would."""
    known = HouseData.objects.first()
    if known is None:
        return ""
    if known.shared != settings.SHARED:
        met, expected = (f"BRISK_SHARED={one}" if one else "no BRISK_SHARED" for one in (settings.SHARED, known.shared))
        return f"met {met}; expected {expected}, as the house was started with"
    return "" if known.shared else _is_another(known)
