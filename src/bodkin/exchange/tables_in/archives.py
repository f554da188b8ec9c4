"""Zip files from elsewhere: looked at before anything is unpacked, since their own word may be a lie."""

import io
import zipfile
import zlib

from bodkin.exchange.faults import BadFile, Fault

MOST_UNPACKED = 1 << 30
"""Bytes that a file may unpack to: more is a broken or a hostile file."""

MOST_PARTS = 1_000

LOCAL_HEADER = 30
"""Fixed bytes before the name of a part, by the published format of zip files (APPNOTE 4.3.7)."""

SPREADSHEET_PARTS = frozenset({"[Content_Types].xml", "content.xml"})
"""Parts of which every spreadsheet in a zip has one."""

DAMAGED = "this zip file is damaged; create it again, or import its files one by one"


def _inflated(content: bytes, part: zipfile.ZipInfo) -> int:
    """Bytes that a part really unpacks to (its own word may be a lie), counted up to the most allowed."""
    if part.compress_type != zipfile.ZIP_DEFLATED:
        return part.compress_size
    head = content[part.header_offset : part.header_offset + LOCAL_HEADER]
    named, extra = (int.from_bytes(head[at : at + 2], "little") for at in (26, 28))
    begins = part.header_offset + LOCAL_HEADER + named + extra
    packed, size, unpacker = content[begins : begins + part.compress_size], 0, zlib.decompressobj(-zlib.MAX_WBITS)
    try:
        while packed and size <= MOST_UNPACKED:
            size += len(unpacker.decompress(packed, 1 << 22))
            packed = unpacker.unconsumed_tail
    except zlib.error:
        # Damaged: whoever opens it says so.
        return size
    return size


def parts_of(file: str, content: bytes, damaged: str = DAMAGED) -> set[str]:
    """Names of a zip file's parts. Raises BadFile where it is damaged or would unpack to far too much."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            parts = packed.infolist()
    except (zipfile.BadZipFile, ValueError, OverflowError, NotImplementedError):
        raise BadFile([Fault(file, 0, "", damaged)]) from None
    size = max(sum(part.file_size for part in parts), sum(_inflated(content, part) for part in parts))
    if size > MOST_UNPACKED:
        message = (
            f"this file would unpack to {size / (1 << 30):.1f} GB, more than any sheet of results; it was not opened"
        )
        raise BadFile([Fault(file, 0, "", message)])
    return {part.filename for part in parts}


def names_in(content: bytes) -> set[str] | None:
    """Names of a zip's parts; None for what is no zip that can be read."""
    if content[:4] != b"PK\x03\x04":
        return None
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            return set(packed.namelist())
    except (zipfile.BadZipFile, ValueError, OverflowError, NotImplementedError, OSError):
        return None


def is_archive(content: bytes) -> bool:
    """Whether a file is a zip of files, and no spreadsheet."""
    names = names_in(content)
    return names is not None and not SPREADSHEET_PARTS & names


def unpacked(file: str, content: bytes) -> dict[str, bytes]:
    """The files of a zip by name, folders left out. Raises BadFile that names the part that cannot be read."""
    names = sorted(name for name in parts_of(file, content) if not name.endswith("/"))
    if len(names) > MOST_PARTS:
        message = f"this zip file holds {len(names)} files; import at most {MOST_PARTS} at once"
        raise BadFile([Fault(file, 0, "", message)])
    found: dict[str, bytes] = {}
    with zipfile.ZipFile(io.BytesIO(content)) as packed:
        for name in names:
            try:
                found[name] = packed.read(name)
            # A password is a RuntimeError, an unknown way of packing a NotImplementedError.
            except (zipfile.BadZipFile, RuntimeError, NotImplementedError, zlib.error, OSError, EOFError) as error:
                raise BadFile([Fault(f"{file}/{name}", 0, "", f"cannot be unpacked ({error})")]) from None
    return found
