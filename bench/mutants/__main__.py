from __future__ import annotations

import argparse
import os
import queue
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import bench.mutants
from bench.mutants import reached
from bench.mutants.faults import Fault, sampled
from bench.mutants.trying import copied, noticed

_WORDS = {True: "noticed", False: "LIVED  ", None: "unsure "}


def main() -> None:
    """Sample faults, try each, and say which were not noticed."""
    parser = argparse.ArgumentParser(
        prog="./dev mutants", description=bench.mutants.__doc__, formatter_class=argparse.RawTextHelpFormatter
    )
    parser.add_argument("folder", nargs="?", default="zesty_abacus/core")
    parser.add_argument("--number", type=int, default=20)
    parser.add_argument("--seed", type=int, default=int(time.time()) % 10_000)
    parser.add_argument("--record", action="store_true", help="run all tests first, to see which functions each runs")
    asked = parser.parse_args()
    if asked.record:
        reached.record()
    found = _tried(sampled(asked.folder.rstrip("/"), asked.number, asked.seed))
    count, known = found.count(True), len(found) - found.count(None)
    unsure = f", {found.count(None)} took too long to say" if None in found else ""
    print(f"{count} of {known} noticed ({count / max(known, 1):.0%}){unsure}, seed {asked.seed}")


def _tried(faults: list[Fault]) -> list[bool | None]:
    """Try faults, as many at once as there are processors, each in a tree of its own; say each when it is done."""
    seen = reached.reached()
    with tempfile.TemporaryDirectory(prefix="zesty-mutants-") as folder:
        trees: queue.SimpleQueue[Path] = queue.SimpleQueue()
        processes = len(os.sched_getaffinity(0))
        for number in range(processes):
            trees.put(copied(Path(folder, str(number))))

        def tried(fault: Fault) -> bool | None:
            tests = (seen.tests_for(fault) if seen else []) or reached.beside(fault.file)
            tree = trees.get()
            try:
                return noticed(fault, tests, tree)
            finally:
                trees.put(tree)

        found = []
        with ThreadPoolExecutor(processes) as pool:
            for number, (fault, said) in enumerate(zip(faults, pool.map(tried, faults), strict=True), 1):
                found.append(said)
                print(f"{number:3} {_WORDS[said]} {fault.file}:{fault.line} {fault.what}", flush=True)
    return found


main()
