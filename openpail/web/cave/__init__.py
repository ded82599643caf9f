"""The cave: places, the pieces on them, their cares, air and labels."""

from openpail.web.cave import labels as _labels
from openpail.web.cave import places as _places
from openpail.web.cave.views import blueprint

__all__ = ["blueprint"]
_ROUTES = (_labels, _places)
