"""A file that was sent, chosen or pasted, as text."""

from __future__ import annotations

from flask import request

from openpail.craft.errors import OutOfRange

MOST_FILE_MB = 2
# What is pasted comes back with each page until it is kept, up to three times as long on its way.
MOST_SENT_BYTES = (3 * MOST_FILE_MB + 1) * 1024 * 1024


def text_sent() -> str:
    """The text of the file that was chosen, else of the field.

    Raises: OutOfRange for more than is taken at a time, so that what is shown can be kept too.
    """
    uploaded = request.files.get("upload")
    chosen = uploaded.read() if uploaded and uploaded.filename else b""
    text = chosen.decode("utf-8-sig", "replace") or request.form.get("text", "")
    size = max(len(chosen), len(text.encode("utf-8", "replace"))) / 1024 / 1024
    if size > MOST_FILE_MB:
        raise OutOfRange(f"This is {size:.1f} MB: at most {MOST_FILE_MB} MB at a time.", "text")
    return text.replace("\x00", "")
