"""Photos and spoken notes of a make."""

from __future__ import annotations

import uuid

from openpail.records.makes import actions as makes
from openpail.records.makes import files
from openpail.records.makes.models import MakeFile
from openpail.work.here import Here


def keep(here: Here, make_id: uuid.UUID, data: bytes) -> MakeFile:
    """Keep a photo or a sound with a make. Raises NotHere; RecordError for what is neither."""
    make = makes.make(here.session, here.dairy, make_id)
    return files.keep(here.session, make, data, here.now, here.person_id)


def whole(here: Here, make_id: uuid.UUID, file_id: uuid.UUID) -> MakeFile:
    """A photo or a sound of a make with its bytes. Raises NotHere."""
    make = makes.make(here.session, here.dairy, make_id)
    return files.whole(here.session, make, file_id)
