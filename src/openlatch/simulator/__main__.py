"""Run a stand-in: python -m openlatch.simulator --state FILE --load SEED --port PORT --token TOKEN."""

import argparse
from pathlib import Path

from openlatch.simulator import FeedStandIn, serve

parser = argparse.ArgumentParser(prog="openlatch.simulator", description="A provider that speaks the feed protocol.")
parser.add_argument("--state", type=Path, required=True, help="the file that keeps its inventory")
parser.add_argument("--load", type=Path, required=True, help="the inventory to begin with, as JSON")
parser.add_argument("--port", type=int, required=True)
parser.add_argument("--token", required=True, help="what has to be shown to be let in")
given = parser.parse_args()
serve(FeedStandIn(given.state, given.load, given.token), given.port)
