"""Every reference file with bytes and with numbers changed at random: each is read, or refused with a sentence, within 10 s and
1 GB. Usage: fuzz/mutations.py HULL [HOW MANY of each kind] [SEED]. Files that fail stay in fuzz/failed/."""

import os
import random
import re
import resource
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
REFERENCE = ROOT / "crates/hull-formats/tests/reference"
SECONDS, BYTES = 10, 1 << 30
NUMBER = re.compile(rb"(?<![\w.#])[-+]?\d+\.?\d*(?:[eEdD][-+]?\d+)?")
NUMBERS = [b"0", b"0.", b"-1", b"1e308", b"-1e308", b"1e-308", b"2147483647", b"-2147483648", b"99999999999999999999", b"1e80"]
NUMBERS += [b"NaN", b"inf", b"0.1", b"1e9", b"4294967296", b"1.", b"-0.0", b"1e17", b"360.", b"3.14159265358979"]


def other_bytes(data: bytes, dice: random.Random) -> bytes:
    """Some bytes changed, a stretch taken out, put in twice, or the end cut off."""
    out, how = bytearray(data), dice.randrange(5)
    if how < 2:
        for _ in range(dice.choice([1, 2, 8, 64])):
            out[dice.randrange(len(out))] = dice.randrange(256)
        return bytes(out)
    a = dice.randrange(len(out))
    b = min(len(out), a + dice.choice([1, 4, 40, 400, 4000]))
    return bytes([out[:a] + out[b:], out[:b] + out[a:], out[:a]][how - 2])


def other_number(data: bytes, dice: random.Random) -> bytes:
    """One number of a text changed to one that is hard to bear, or to a near one."""
    found = list(NUMBER.finditer(data))
    if not found:
        return other_bytes(data, dice)
    m = dice.choice(found)
    new = dice.choice(NUMBERS) if dice.random() < 0.7 else m.group() + str(dice.randrange(10)).encode()
    return data[: m.start()] + new + data[m.end() :]


def limits() -> None:
    # Addresses, not pages in use: stacks of threads and arrays that are never touched count too.
    resource.setrlimit(resource.RLIMIT_AS, (3 * BYTES, 3 * BYTES))


def trouble(hull: str, path: Path) -> str | None:
    """What is wrong with how a file is taken; None if nothing is."""
    with subprocess.Popen(
        [hull, "check", "--deep", str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, preexec_fn=limits
    ) as running:
        try:
            said = running.communicate(timeout=SECONDS)[1]
        except subprocess.TimeoutExpired:
            running.kill()
            running.communicate()
            return f"takes more than {SECONDS} s"
    if running.returncode not in (0, 1, 2):
        return f"ends with {running.returncode}: {said[-300:].decode(errors='replace')}"
    if running.returncode == 2 and not said.strip():
        return "is refused without a sentence"
    return None


def main() -> None:
    hull = sys.argv[1]
    many = int(sys.argv[2]) if len(sys.argv) > 2 else 200
    seed = sys.argv[3] if len(sys.argv) > 3 else "1"
    failed, tried = 0, 0
    (ROOT / "fuzz/failed").mkdir(exist_ok=True)
    for path in sorted(p for p in REFERENCE.rglob("*") if p.suffix in {".step", ".stp", ".igs", ".iges", ".stl", ".obj", ".ply"}):
        data = path.read_bytes()
        for kind, change in [("bytes", other_bytes), ("numbers", other_number)]:
            for i in range(many):
                changed = change(data, random.Random(f"{seed} {path.name} {kind} {i}"))
                with tempfile.NamedTemporaryFile(suffix=path.suffix, dir="/tmp") as file:
                    file.write(changed)
                    file.flush()
                    why = trouble(hull, Path(file.name))
                tried += 1
                if why:
                    failed += 1
                    kept = ROOT / f"fuzz/failed/{path.stem}-{kind}-{seed}-{i}{path.suffix}"
                    kept.write_bytes(changed)
                    print(f"{kept.relative_to(ROOT)} {why}", flush=True)
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"{tried} files tried, {failed} failed; the largest took {peak:.0f} MB")
    sys.exit(1 if failed or peak * 1024 * 1024 > BYTES else 0)


if __name__ == "__main__":
    main()
