"""Run stand-ins in one process: python -m openlatch.simulator FILE.

The file is a JSON list of objects with `protocol` (feed, scim, oauth, listener), `state` (the file that keeps it),
`load` (the inventory to begin with), `port`, and `token` (what has to be shown to be let in).
"""

import argparse
import json
import threading
from pathlib import Path

from openlatch.simulator import STAND_INS, serve

parser = argparse.ArgumentParser(prog="openlatch.simulator", description="Providers that exist on this machine only.")
parser.add_argument("file", type=Path, help="a JSON list of the stand-ins to run")
for one in json.loads(parser.parse_args().file.read_text()):
    app = STAND_INS[one["protocol"]](Path(one["state"]), Path(one["load"]), one["token"])
    threading.Thread(target=serve, args=[app, one["port"]]).start()
