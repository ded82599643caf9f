"""The demo farm on a throw-away database, for the page timings."""

from tests.conftest import (  # noqa: F401
    app,
    client,
    demo_template,
    demo_url,
    post,
    pytest_addoption,
    template_url,
)
