"""Run benchmarks by their ids, or all of them."""

import sys

from bench.archive import archive
from bench.console import console
from bench.described import described
from bench.drill import drill
from bench.exposures import exposure_difference
from bench.faults import faults
from bench.inventory_page import inventory_page
from bench.large_reading import large_reading
from bench.log import log
from bench.long_requests import export, importing
from bench.memory_curve import memory_curve
from bench.one_row import one_row
from bench.orders import crash, orders
from bench.rules_in_columns import memory, rules_in_columns
from bench.rules_in_store import after_one_change, database_to_flags
from bench.slow_clients import slow_clients
from bench.start import start
from bench.walk import walk
from bench.what_if import what_if
from openlatch.memory import seldom

BENCHMARKS = {
    "P1": rules_in_columns,
    "P2": database_to_flags,
    "P3": after_one_change,
    "P4": inventory_page,
    "P5": large_reading,
    "P6": orders,
    "P7": exposure_difference,
    "P8": one_row,
    "P9": console,
    "P10": memory,
    "W": what_if,
    "start": start,
    "export": export,
    "import": importing,
    "log": log,
    "archive": archive,
    "slow": slow_clients,
    "described": described,
    "crash": crash,
    "drill": drill,
    "faults": faults,
    "walk": walk,
    "memory": memory_curve,
}

wanted = sys.argv[1:] or list(BENCHMARKS)
unknown = [name for name in wanted if name not in BENCHMARKS]
if unknown:
    sys.exit(f"There is no benchmark {', '.join(unknown)}. There are: {', '.join(BENCHMARKS)}.")
# As a web process and a worker of the service do.
seldom()
for name in wanted:
    print(BENCHMARKS[name](), flush=True)
