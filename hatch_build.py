"""What building the package does beforehand: it makes the asynchronous client from the other one."""

import sys
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

sys.path.insert(0, str(Path(__file__).parent / "tools"))
import aio  # it lies beside the package, in tools


class BuildHook(BuildHookInterface[Any]):
    """Run by hatchling before a wheel, a source distribution or an editable installation is made."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Write the module of the asynchronous client, which is kept nowhere else."""
        aio.write()
        build_data["artifacts"].append(str(aio.TARGET.relative_to(Path(self.root))))
