"""What building the package does beforehand: it makes the asynchronous client from the other one."""

import sys
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

sys.path.insert(0, str(Path(__file__).parent / "tools"))
import aio  # it lies beside the package, in tools

WEB = Path(__file__).parent / "src" / "openlatch" / "web"
BUILT = {"console": "make console", "help": "make site"}
"""What the service sends to browsers and no repository keeps, by its folder, and what makes it."""


class BuildHook(BuildHookInterface[Any]):
    """Run by hatchling before a wheel, a source distribution or an editable installation is made."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Write the module of the asynchronous client, which is kept nowhere else.

        What others install has the console and the help in it, or is not made at all.
        """
        if version != "editable":
            for folder, command in BUILT.items():
                if not (WEB / folder / "index.html").is_file():
                    raise RuntimeError(
                        f"Without src/openlatch/web/{folder} the package would lack what it shows in browsers. "
                        f"Nothing was built. Make it first: {command}"
                    )
        aio.write()
        build_data["artifacts"].append(str(aio.TARGET.relative_to(Path(self.root))))
