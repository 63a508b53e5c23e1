"""Which folders may become storage roots, and where a file of a root really lies.

The places are named outside the application (``BRISK_PLACES``): a page can offer what lies in them and no more.
"""

from __future__ import annotations

import datetime
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import fsspec
from django.conf import settings

from brisk_core.errors import UnreadableFile

_OF_PATHS = ("", "file", "local")  # schemes of this machine's folders


class PlaceRefused(Exception):
    """A folder or an address that cannot become a root, with a sentence."""


def check_place(url: str) -> str:
    """Return the whole path or address of a place for a root, links resolved.

    Raises ``PlaceRefused`` for what lies in none of the allowed places, and for the house's own folders and all that
    hold them.
    """
    scheme = urlsplit(url).scheme if "://" in url else ""
    if scheme not in _OF_PATHS:
        if not any("://" in place and _lies_in_address(url, place) for place in settings.PLACES):
            raise PlaceRefused(f"met {_without_credentials(url)!r}, which is no place that is allowed; {_allowed()}")
        if settings.SHARED and (_lies_in_address(url, settings.SHARED) or _lies_in_address(settings.SHARED, url)):
            raise PlaceRefused(f"met {url!r}, which is or holds the house's own data; expected a folder of renders")
        return url
    path = url.partition("://")[2] if scheme else url
    if not path.startswith("/"):
        raise PlaceRefused(f"met {url!r} as a folder; expected a whole path such as /media/renders")
    try:
        whole = Path(path).resolve()
    except (OSError, RuntimeError, ValueError) as error:  # links in a ring, a zero byte
        raise PlaceRefused(f"met {url!r} as a folder; it cannot be reached ({error})") from error
    if not any(_lies_in(whole, Path(place).resolve()) for place in settings.PLACES if "://" not in place):
        raise PlaceRefused(f"met {url!r}, which lies in no place that is allowed; {_allowed()}")
    for own, what in ((settings.DATA_FOLDER, "the house's own data"), (settings.BASE_DIR, "the application")):
        if _lies_in(Path(own).resolve(), whole) or _lies_in(whole, Path(own).resolve()):
            raise PlaceRefused(f"met {url!r}, which is or holds {what}; expected a folder of renders")
    return str(whole)


def _lies_in(path: Path, place: Path) -> bool:
    return path == place or place in path.parents


def _lies_in_address(url: str, place: str) -> bool:
    place = place.rstrip("/")
    return ".." not in url.split("/") and (url.rstrip("/") == place or url.startswith(f"{place}/"))


def _without_credentials(url: str) -> str:
    scheme, _, rest = url.partition("://")
    return f"{scheme}://{rest.rpartition('@')[2]}"


def _allowed() -> str:
    places = ", ".join(map(_without_credentials_of_place, settings.PLACES)) or "none is named"
    return f"expected one in {places} (whoever runs the house names places in BRISK_PLACES)"


def _without_credentials_of_place(place: str) -> str:
    return _without_credentials(place) if "://" in place else place


def real_path(root: str, path: str, name: str) -> str:
    """Return where a file of a root lies, without a link on the way; an address as it is.

    Raises ``UnreadableFile`` for one that links lead out of its root.
    """
    joined = f"{root.rstrip('/')}/{path}"
    if not root.startswith("/"):
        return joined
    whole, top = os.path.realpath(joined), os.path.realpath(root)
    if not whole.startswith(f"{top.rstrip('/')}/"):
        raise UnreadableFile(f"{name} leads out of its storage root: a name on its way has become a link")
    return whole


def state_in_store(info: Mapping[str, Any]) -> tuple[int, int]:
    """Return the size in bytes and the time of the last change in nanoseconds of what a store says of a file.

    Stores call the time by several names; where one tells none it is 0.
    """
    changed = info.get("mtime") or info.get("LastModified") or info.get("modified") or 0
    moment = changed.timestamp() if isinstance(changed, datetime.datetime) else float(changed)
    return int(info["size"] or 0), int(moment * 1_000_000_000)


def asked_anew(url: str) -> Mapping[str, Any]:
    """Return what a store says of a file now, whatever it said before; raises what the store's package raises."""
    filesystem, path = fsspec.url_to_fs(url)
    filesystem.invalidate_cache(filesystem._parent(path))
    found: Mapping[str, Any] = filesystem.info(path)
    return found
