from __future__ import annotations

from tests.desktop.conftest import new_window, qapp  # noqa: F401 - worked jobs are done in the real window
