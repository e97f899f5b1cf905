"""A simulated water meter and pressure sensor: writes readings of a made-up house over HTTP, by a device's token.

    python -m simulated.meter http://127.0.0.1:8000 TOKEN [--times 5] [--every 2] [--start 41200]

Each message has a key of its own, so that one sent twice counts once. Nothing but the standard library.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
import time
import urllib.error
import urllib.request


def readings(number: int, start: float, pick: random.Random) -> dict[str, str]:
    """What the house shows at its n-th message: a meter that counts on, a pressure between cut-in and cut-out."""
    return {"meter": f"{start + 180 * number + pick.uniform(0, 40):.0f} gal", "source.pressure": f"{pick.uniform(42, 58):.0f} psi"}


def send(address: str, token: str, message: dict[str, object]) -> tuple[int, str]:
    """Status and answer of the door."""
    request = urllib.request.Request(
        f"{address.rstrip('/')}/devices/log/", json.dumps(message).encode(), {"Content-Type": "application/json", "Authorization": f"Bearer {token}"}
    )
    try:
        with urllib.request.urlopen(request, timeout=10) as answer:
            return answer.status, answer.read().decode()
    except urllib.error.HTTPError as error:
        return error.code, error.read().decode()


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where every message was taken, 1 where one was not, 2 where nobody answered."""
    parser = argparse.ArgumentParser(prog="simulated.meter", description="Write readings of a made-up house by a device's token.")
    parser.add_argument("address")
    parser.add_argument("token")
    parser.add_argument("--times", type=int, default=5)
    parser.add_argument("--every", type=float, default=2.0, metavar="SECONDS")
    parser.add_argument("--start", type=float, default=41200.0, metavar="GALLONS")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args(arguments)
    pick, fine = random.Random(options.seed), True
    for number in range(options.times):
        if number:
            time.sleep(options.every)
        try:
            status, answer = send(
                options.address,
                options.token,
                {"readings": readings(number, options.start, pick), "key": f"{options.seed}-{number}-{options.start:.0f}"},
            )
        except OSError as error:
            print(f"{options.address} does not answer: {error}", file=sys.stderr)
            return 2
        fine = fine and status == 200
        print(status, answer)
    return 0 if fine else 1


if __name__ == "__main__":
    sys.exit(main())
