"""Cures over thousands of random scenes: every fix applied, its finding looked for again in the proof and in pictures.

python -m bench.cures --scenes 2000 --sheets 3 --from 1000
"""

import argparse
import multiprocessing
import time
from functools import partial

from tests.core.test_cures import faults_of


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenes", type=int, default=2000)
    parser.add_argument("--sheets", type=int, default=3, help="at most so many in a scene")
    parser.add_argument("--from", type=int, default=1000, dest="first", help="the first seed")
    given = parser.parse_args()
    begun, wrong = time.monotonic(), 0
    with multiprocessing.Pool() as pool:
        seeds = range(given.first, given.first + given.scenes)
        for faults in pool.imap(partial(faults_of, most=given.sheets), seeds):
            wrong += bool(faults)
            for fault in faults:
                print(fault, flush=True)
    print(f"{given.scenes} scenes, {wrong} with a cure that is wrong, {time.monotonic() - begun:.0f} s")


if __name__ == "__main__":
    main()
