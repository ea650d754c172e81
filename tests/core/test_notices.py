"""What ships is told, and nothing of it binds the product."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_the_notices_hold_and_nothing_in_them_binds_the_product():
    done = subprocess.run(
        [sys.executable, ROOT / "tools" / "notices", "--check"], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (0, "")
