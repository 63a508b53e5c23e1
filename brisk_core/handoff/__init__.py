"""Handing over, as far as it needs no network: ``naming``, names built and checked by a rule; ``copying``, copies that
are verified and never overwrite; ``manifests``, lists of checksums that are written and read; ``hash_list``, the
first generation of an ASC MHL history; ``packages``, folders with everything that belongs together, made and verified;
``companions``, whether what a deliverable brings along is what its spec asks for, and ``companion_files``, what the
bytes of such a file say; ``image``, a package as an image of a data disc; ``served``, what a site says of what it was
sent, and its copies, judged.
"""

from brisk_core.handoff.copying import Copied, copy_verified, digests_of
from brisk_core.handoff.image import make_image
from brisk_core.handoff.manifests import ALGORITHMS, Listed, read_manifest
from brisk_core.handoff.naming import FIELDS, NameRule
from brisk_core.handoff.packages import Item, Verified, make_package, safe_path, verify_package
from brisk_core.handoff.served import Item as ServedItem
from brisk_core.handoff.served import Told, judge_copy, read_item, says_of, usual_wait

__all__ = [
    "ALGORITHMS",
    "FIELDS",
    "Copied",
    "Item",
    "Listed",
    "NameRule",
    "ServedItem",
    "Told",
    "Verified",
    "copy_verified",
    "digests_of",
    "judge_copy",
    "make_image",
    "make_package",
    "read_item",
    "read_manifest",
    "safe_path",
    "says_of",
    "usual_wait",
    "verify_package",
]
