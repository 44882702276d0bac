"""Run a stand-in: python -m openlatch.simulator feed|scim|oauth --state FILE --load SEED --port PORT --token TOKEN."""

import argparse
from pathlib import Path

from openlatch.simulator import STAND_INS, serve

parser = argparse.ArgumentParser(prog="openlatch.simulator", description="A provider that exists on this machine only.")
parser.add_argument("protocol", choices=STAND_INS)
parser.add_argument("--state", type=Path, required=True, help="the file that keeps its inventory")
parser.add_argument("--load", type=Path, required=True, help="the inventory to begin with, as JSON")
parser.add_argument("--port", type=int, required=True)
parser.add_argument("--token", required=True, help="what has to be shown to be let in")
given = parser.parse_args()
serve(STAND_INS[given.protocol](given.state, given.load, given.token), given.port)
