"""Feed document, OpenRaster, SVG and quantity reading with what a fuzzer makes. python -m bench.fuzz --seconds 60

Each target has its share of the time, in a process of its own (atheris on libFuzzer, from PyPI). An input that ends in a fault is kept
beside the seeds in tests/fuzz/, where it is read again by every run of the tests.
"""

import argparse
import subprocess
import sys
import tempfile

NAMES = ("document", "openraster", "vector", "quantity")


def one(target: str, seconds: int) -> None:
    """Fuzz one target; ends the process."""
    import atheris

    with atheris.instrument_imports(include=["clinamen.core"]):
        from tests.fuzz.targets import SEEDS, fed
    found = tempfile.mkdtemp(prefix="clinamen-fuzz-")
    told = [
        sys.argv[0],
        f"-max_total_time={seconds}",
        "-max_len=20000",
        f"-artifact_prefix={SEEDS / target}/found-",
        "-rss_limit_mb=3000",
    ]
    atheris.Setup([*told, "-print_final_stats=1", found, str(SEEDS / target)], lambda data: fed(target, data))
    atheris.Fuzz()


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--seconds", type=int, default=60)
    asked.add_argument("--target", choices=NAMES)
    told = asked.parse_args()
    if told.target:
        one(told.target, told.seconds)
        return
    for target in NAMES:
        share = str(max(1, told.seconds // len(NAMES)))
        done = subprocess.run(
            [sys.executable, "-m", "bench.fuzz", "--target", target, "--seconds", share],
            capture_output=True,
            text=True,
            check=False,
        )
        runs = next((line.split()[-1] for line in done.stderr.splitlines() if "number_of_executed_units" in line), "?")
        print(
            f"{target}: {runs} inputs in {share} s; {'no fault' if done.returncode == 0 else 'A FAULT, kept beside the seeds'}"
        )
        if done.returncode:
            print(done.stderr[-3000:])


if __name__ == "__main__":
    main()
