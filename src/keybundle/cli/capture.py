"""``keybundle capture``: bring inputs in as one batch, clean, separate, read, index, and perhaps file."""

from __future__ import annotations

import argparse

from keybundle.core.base.loading import loading
from keybundle.core.workflows.pages.warm import LIGHT, WARM


def run(given: argparse.Namespace) -> int:
    """Capture; what workers need is loaded beside what this process needs."""
    from keybundle.core.jobs.pool import Pool

    pool = Pool()
    try:
        pool.warm_up(WARM, LIGHT)
        with loading():
            from keybundle.cli.capturing import capture
        return capture(given, pool)
    finally:
        pool.close()
