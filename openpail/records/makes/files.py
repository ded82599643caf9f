"""Photos and spoken notes of a make: looked at, stripped of what the device wrote in, kept."""

from __future__ import annotations

import io
import uuid
from datetime import datetime

import mutagen
from PIL import Image, ImageOps, UnidentifiedImageError
from sqlalchemy.orm import Session, undefer

from openpail.craft.errors import NotHere, RecordError
from openpail.records.base import mine
from openpail.records.makes.models import Make, MakeFile

MOST_BYTES = 5 * 1024 * 1024
_MOST_PIXELS = 60_000_000
_LONGEST_SIDE = 2000
_QUALITY = 85
_PHOTOS = ("JPEG", "PNG", "WEBP")
# How the first bytes of a recording tell what it is, whatever its name says.
_SOUNDS = (
    (0, b"\x1aE\xdf\xa3", "audio/webm"),
    (0, b"OggS", "audio/ogg"),
    (4, b"ftyp", "audio/mp4"),
)
_WEBM_TAGS = b"\x12T\xc3g"


def keep(
    session: Session, make: Make, data: bytes, now: datetime, person_id: uuid.UUID | None
) -> MakeFile:
    """Keep a photo or a sound, by what it is and not by what it is called.

    A photo is drawn anew, so that nothing of where and by what it was taken stays in it.
    Raises: RecordError for anything else, or for more than 5 MB.
    """
    if not data:
        raise RecordError("There is nothing in this file.", "file")
    if len(data) > MOST_BYTES:
        raise RecordError("At most 5 MB, please: a smaller picture, or a shorter note.", "file")
    sound = next((kind for at, sign, kind in _SOUNDS if data[at:].startswith(sign)), None)
    sort, media_type = ("sound", sound) if sound else ("photo", "image/jpeg")
    kept = MakeFile(
        dairy_id=make.dairy_id,
        id=uuid.uuid4(),
        make_id=make.id,
        sort=sort,
        media_type=media_type,
        data=_without_tags(data, media_type) if sound else _drawn_anew(data),
        at=now,
        person_id=person_id,
    )
    session.add(kept)
    session.flush()
    return kept


def _drawn_anew(data: bytes) -> bytes:
    """A photo without anything but its picture, turned upright, no larger than a screen shows."""
    try:
        with Image.open(io.BytesIO(data), formats=_PHOTOS) as opened:
            if opened.width * opened.height > _MOST_PIXELS:
                raise RecordError("This picture is too large: take a smaller one.", "file")
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
        raise RecordError("This is no picture or sound that can be read here.", "file") from None
    upright.thumbnail((_LONGEST_SIDE, _LONGEST_SIDE))
    anew = io.BytesIO()
    upright.save(anew, "JPEG", quality=_QUALITY, optimize=True)
    return anew.getvalue()


def _without_tags(data: bytes, media_type: str) -> bytes:
    """A sound without what was written into it of whose and where it is."""
    if media_type == "audio/webm":  # what a browser records has none
        if _WEBM_TAGS in data:
            raise RecordError("This sound carries names and places: record it here anew.", "file")
        return data
    held = io.BytesIO(data)
    try:
        found = mutagen.File(held)
        if found is None:
            raise RecordError("This is no sound that can be read here.", "file")
        held.seek(0)
        found.delete(held)
    except mutagen.MutagenError:
        raise RecordError("This is no sound that can be read here.", "file") from None
    return held.getvalue()


def there(session: Session, make: Make, file_id: uuid.UUID) -> MakeFile:
    """A file of this make, without its bytes. Raises NotHere."""
    query = mine(MakeFile, make.dairy_id)
    found = session.scalar(query.where(MakeFile.id == file_id, MakeFile.make_id == make.id))
    if found is None:
        raise NotHere("no such file")
    return found


def whole(session: Session, make: Make, file_id: uuid.UUID) -> MakeFile:
    """A file of this make with its bytes. Raises NotHere."""
    query = mine(MakeFile, make.dairy_id).options(undefer(MakeFile.data))
    found = session.scalar(query.where(MakeFile.id == file_id, MakeFile.make_id == make.id))
    if found is None:
        raise NotHere("no such file")
    return found
