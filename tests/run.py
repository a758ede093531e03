"""Run every test: Python, then the page's. Used by `./fern test`."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]


def main() -> int:
    """Run pytest in three processes, as some of it waits, then vitest. Returns the first exit code that is not 0."""
    arguments = sys.argv[1:]
    # threads that have nothing to do leave the cores to the other processes
    os.environ["OMP_WAIT_POLICY"] = "PASSIVE"
    parallel = [] if arguments else ["-n", "3"]
    # compiled once, here, and not by every process that tests start, against their patience
    warm = "from fern_ticket.core.warming import warm_kernels; warm_kernels()"
    subprocess.run([sys.executable, "-c", warm], cwd=ROOT, check=True)
    python = subprocess.run([sys.executable, "-m", "pytest", *parallel, *arguments], cwd=ROOT, check=False)
    if python.returncode or arguments:
        return python.returncode
    modules = ROOT / "frontend" / "node_modules"
    if not modules.is_dir():
        subprocess.run(["npm", "ci", "--no-audit", "--no-fund"], cwd=ROOT / "frontend", check=True)
    page = subprocess.run(
        ["npm", "run", "-s", "test"], cwd=ROOT / "frontend", check=False, env={**os.environ, "CI": "1"}
    )
    return page.returncode


if __name__ == "__main__":
    sys.exit(main())
