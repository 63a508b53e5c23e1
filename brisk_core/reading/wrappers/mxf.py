"""The header partition of MXF (SMPTE ST 377-1, 7.1): operational pattern and completeness."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import BinaryIO

_PARTITION = bytes.fromhex("060e2b34020501010d01020101")  # first 13 bytes of a partition pack key
_RUN_IN = 65536  # most bytes before the header partition (6.5)
_PACK = ">HHIQQQQQIQI16s"
_STATUS = {1: "open, incomplete", 2: "closed, incomplete", 3: "open, complete", 4: "closed, complete"}
_MOST_SETS = 1000  # between the footer partition and the end
_FILL = bytes.fromhex("060e2b34010101020301021001000000")  # key of a KLV fill item (ST 377-1)
_KEY_AND_LENGTH = 16 + 9  # bytes of a key and of the longest length (ST 336, 5)
_HEADER, _BODY, _FOOTER = 2, 3, 4  # byte 14 of the key


@dataclass(frozen=True, slots=True, kw_only=True)
class HeaderPartition:
    """A partition pack and where it lies."""

    start: int  #: offset of its key
    kind: int  #: 2 header, 3 body, 4 footer
    status: str
    footer_at: int  #: offset of the footer partition from the header's start, 0 when not known
    length: int  #: bytes of the pack, its key included
    header_bytes: int  #: of header metadata after the pack
    index_bytes: int  #: of index tables after header metadata
    pattern: bytes  #: the operational pattern's universal label, 16 bytes

    @property
    def wrapper_format(self) -> str:
        """mxf-op1a, mxf-opatom or mxf-other (ST 377-1, 8.3; ST 378; ST 390)."""
        item, package = self.pattern[12], self.pattern[13]
        if item == 0x10:
            return "mxf-opatom"
        return "mxf-op1a" if (item, package) == (1, 1) else "mxf-other"


def parse_partition(data: bytes, start: int) -> HeaderPartition | None:
    """Return the partition pack at the beginning of ``data``, ``None`` when there is none or it is cut."""
    if data[:13] != _PARTITION or len(data) < 17 or data[13] not in (_HEADER, _BODY, _FOOTER):
        return None
    at, length = _value_of(data)
    if len(data) < at + struct.calcsize(_PACK):
        return None
    fields = struct.unpack_from(_PACK, data, at)
    return HeaderPartition(
        start=start,
        kind=data[13],
        status=_STATUS.get(data[14], f"unknown status {data[14]}"),
        footer_at=fields[5],
        length=at + length,
        header_bytes=fields[6],
        index_bytes=fields[7],
        pattern=fields[11],
    )


def read_header_partition(file: BinaryIO) -> HeaderPartition | None:
    """Return the header partition, passing over a run-in; ``None`` when the file is no MXF."""
    file.seek(0)
    head = file.read(_RUN_IN + 256)
    at = head.find(_PARTITION)
    if at < 0:
        return None
    partition = parse_partition(head[at:], at)
    return partition if partition and partition.kind == _HEADER else None


def completeness(file: BinaryIO, header: HeaderPartition, size: int) -> tuple[bool, str]:
    """Return whether the file is closed and complete, and the reason when it is not.

    The header may say so itself, or leave it to a footer partition that lies where the header says.
    """
    if header.footer_at and header.start + header.footer_at + 16 > size:
        return False, f"the footer partition should stand at byte {header.footer_at}, the file ends at byte {size}"
    if header.footer_at:
        file.seek(header.start + header.footer_at)
        footer = parse_partition(file.read(256), header.footer_at)
        if footer is None or footer.kind != _FOOTER:
            return False, f"there is no footer partition at byte {header.footer_at}, where the header says it is"
        if lacking := _cut_after(file, header.start + header.footer_at, size):
            return False, f"the last set after the footer partition lacks {lacking:,} bytes"
        if (lacking := _counted_end(file, footer, header.start + header.footer_at, size) - size) > 0:
            return False, f"the file ends {lacking:,} bytes before what its footer partition counts"
        if "closed, complete" in (header.status, footer.status):
            return True, ""
    elif header.status == "closed, complete":
        return False, "the header partition is closed and complete but names no footer partition"
    return False, f"the header partition is {header.status}"


def _value_of(head: bytes) -> tuple[int, int]:
    """Return where a value begins, from its key of 16 bytes on, and how long it is (ST 336, 5)."""
    count = head[16] & 0x7F if head[16] & 0x80 else 0
    return 17 + count, int.from_bytes(head[17 : 17 + count], "big") if count else head[16]


def _counted_end(file: BinaryIO, footer: HeaderPartition, at: int, size: int) -> int:
    """Return where header metadata and index tables of the footer partition end, as it counts them (7.1)."""
    end = at + footer.length
    file.seek(min(end, size))
    head = file.read(_KEY_AND_LENGTH)
    # Fill after the pack is counted by nobody where no header metadata follow.
    if not footer.header_bytes and len(head) == _KEY_AND_LENGTH and _is_fill(head):
        end += sum(_value_of(head))
    return end + footer.header_bytes + footer.index_bytes


def _is_fill(key: bytes) -> bool:
    return key[:7] + key[8:16] == _FILL[:7] + _FILL[8:]  # byte 7 is the version of the register


def _cut_after(file: BinaryIO, at: int, size: int) -> int:
    """Walk the sets from the footer partition to the end of the file; return how many bytes the last one lacks."""
    for _ in range(_MOST_SETS):
        if at >= size:
            break
        file.seek(at)
        head = file.read(_KEY_AND_LENGTH)
        if len(head) < _KEY_AND_LENGTH and size - at < 17:
            return 17 - (size - at)
        at += sum(_value_of(head))
    return max(at - size, 0)
