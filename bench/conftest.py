"""The demo farm on a throw-away database, for the page timings."""

import pytest

from openpail.web.server import settle
from tests.conftest import (  # noqa: F401
    app,
    client,
    demo_template,
    demo_url,
    post,
    pytest_addoption,
    template_url,
)


@pytest.fixture(scope="session", autouse=True)
def as_a_worker():
    """Measure as a served worker runs."""
    settle()
