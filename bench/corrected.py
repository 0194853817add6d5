"""How long a correction of ten minutes of audio takes over HTTP: the first one after the file was brought in, as a page
that shows it would send it, and those that follow."""

from __future__ import annotations

import io
import re
import time

import numpy as np
import soundfile

from bench.served import Hand, songs_of
from tests.drums import SWUNG, beat, rendered
from tests.running import running_app

LENGTH_S, TIMES = 590.0, 5


def _brought_in(hand: Hand) -> str:
    """Ten minutes of a beat with some noise, as FLAC; the address of its page once it was heard."""
    audio, _ = rendered(beat(SWUNG), 104.0)
    x = np.tile(audio.samples[:, 0], int(LENGTH_S / audio.duration_s))
    data = io.BytesIO()
    soundfile.write(data, x + np.random.default_rng(1).normal(0, 1e-3, len(x)), audio.rate_hz, "PCM_16", format="FLAC")
    sent = hand.client.post(f"/songs/{hand.song}/loops/upload?name=long.flac", content=data.getvalue()).json()
    while not (job := hand.client.get(f"/jobs/{sent['job']}").json())["result"]:
        if job["error"]:
            raise RuntimeError(job["error"])
        time.sleep(0.2)
    hand.revision = job["result"]["song"]["revision"]
    return str(job["result"]["address"])


def run() -> None:
    with running_app() as (address, _):
        hand = Hand(address, songs_of(address)[0], "corrected")
        page = _brought_in(hand)
        times = [float(one) for one in re.findall(r'data-time="([\d.]+)"', hand.client.get(page).text)]
        hand.client.get(f"{page}/peaks.bin")  # a page draws what one corrects
        time.sleep(1)  # and nobody is faster
        at = iter(times[50 : 50 + 40 * (4 * TIMES + 1) : 40])
        changes = [("removed, the first correction", [{"kind": "remove", "time_s": next(at)}])]
        changes.append(("removed", [{"kind": "remove", "time_s": next(at)} for _ in range(TIMES)]))
        changes.append(("added", [{"kind": "add", "time_s": next(at) + 0.05} for _ in range(TIMES)]))
        changes.append(("moved", [{"kind": "move", "time_s": one, "to_s": one + 0.03} for one in [next(at), next(at)]]))
        changes.append(("sensitivity", [{"kind": "sensitivity", "value": 0.4 + 0.03 * n} for n in range(TIMES)]))
        for name, wanted in changes:
            hand.took_ms.clear()
            for change in wanted:
                code = hand.edit(kind="loop_correct", loop_id=int(page.rpartition("/")[2]), change=change)
                if code != 200:
                    raise RuntimeError(f"{name}: {code}")
            low, high = min(hand.took_ms), max(hand.took_ms)
            print(f"ten minutes with {len(times)} hits, {name}: {low:.0f}-{high:.0f} ms (wanted: 400)")
