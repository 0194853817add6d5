"""Many people: 50 on songs of their own, 8 in one song over a bad line, one web process against two."""

from __future__ import annotations

import asyncio
import json
import random
import re
import sys
import tempfile
import time
import uuid
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import numpy as np

from easy_pocket.store.database import Database
from easy_pocket.store.people.accounts import invite, take_up
from tests.many.servers import Servers, missing_programs

PEOPLE, EVERY_S, LASTS_S = 50, 2.0, 60.0
TOGETHER, EDITS_A_SECOND, TOGETHER_S = 8, 4.0, 60.0
DROPPED, DELAY_S = 0.05, 0.2
PASSWORD = "four plain wooden words"


@dataclass
class Page:
    """Somebody at a page: their own connection, song and edits."""

    client: httpx.AsyncClient
    song: int = 0
    revision: int = 0
    began: int = 0
    number: int = 0
    before: int = 0
    tab: str = field(default_factory=lambda: f"tab{uuid.uuid4().hex[:12]}")
    took_ms: list[float] = field(default_factory=list)
    made: set[str] = field(default_factory=set)
    there: set[int] = field(default_factory=set)
    bad_line: bool = False
    again: int = 0

    async def request(self, method: str, path: str, **options: Any) -> httpx.Response:
        """Over a bad line it comes late, and sometimes it or its answer does not come at all."""
        if self.bad_line:
            await asyncio.sleep(DELAY_S / 2)
            if random.random() < DROPPED / 2:
                raise httpx.ReadError("dropped on its way")
        answer = await self.client.request(method, path, **options)
        if self.bad_line:
            await asyncio.sleep(DELAY_S / 2)
            if random.random() < DROPPED / 2:
                raise httpx.ReadError("its answer was dropped")
        return answer

    async def look(self) -> dict[str, Any]:
        while True:
            try:
                answer = await self.request("GET", f"/songs/{self.song}/state", params={"screen": "bench"})
                found: dict[str, Any] = answer.raise_for_status().json()
                self.revision = max(self.revision, found["song"]["revision"])
                return found
            except httpx.TransportError:
                self.again += 1

    async def edit(self, edit: dict[str, Any]) -> None:
        """As a page does: with an id, sent again until it is answered."""
        self.number += 1
        edit_id = f"{self.tab}-{self.number}"
        began = time.perf_counter()
        while True:
            body = {"edit_id": edit_id, "revision": self.revision, "edit": edit}
            try:
                answer = await self.request("POST", f"/songs/{self.song}/edits", json=body)
            except httpx.TransportError:
                self.again += 1
                continue
            if answer.status_code == 409:
                self.revision = answer.json()["now"]["song"]["revision"]
                continue
            if answer.status_code != 200:
                raise RuntimeError(f"{edit}: {answer.status_code} {answer.text[:300]}")
            self.revision = max(self.revision, answer.json()["song"]["revision"])
            break
        self.took_ms.append((time.perf_counter() - began) * 1000)
        self.made.add(edit_id)


async def signed_in(address: str, name: str) -> Page:
    client = httpx.AsyncClient(
        base_url=address, headers={"Origin": address, "Accept": "application/json"}, timeout=60.0
    )
    page = Page(client)
    answer = await client.post("/sign-in", data={"name": name, "password": PASSWORD})
    assert answer.status_code == 303, answer.text
    return page


async def with_song(page: Page) -> Page:
    answer = await page.client.post("/songs", data={"name": "Many", "tempo_bpm": "104"})
    page.song = int(re.search(r"/songs/(\d+)/", answer.headers["location"]).group(1))
    page.there.clear()
    await page.look()
    for tick in range(0, 7680, 480):  # a plain beat to begin with
        for voice in ("kick", "hat_closed") if tick % 960 == 0 else ("snare", "hat_closed"):
            await page.edit({"kind": "write", "voice": voice, "tick": tick, "velocity": 90})
    await page.look()
    page.began, page.before = page.revision, page.number
    return page


def some_edit(page: Page, number: int) -> dict[str, Any]:
    if number % 3 == 2:
        return {"kind": "mix", "voice": "kick", "field": "level_db", "value": -float(number % 12)}
    return toggled(page, "shaker", (number * 7 % 16) * 240)


def toggled(page: Page, voice: str, tick: int) -> dict[str, Any]:
    """A hit comes, or goes."""
    if tick in page.there:
        page.there.remove(tick)
        return {"kind": "remove", "voice": voice, "tick": tick}
    page.there.add(tick)
    return {"kind": "write", "voice": voice, "tick": tick, "velocity": 40 + tick % 80}


async def works(page: Page, seconds: float, every_s: float, plays: bool) -> None:
    end, number = time.monotonic() + seconds, 0
    await asyncio.sleep(random.uniform(0, every_s))
    while time.monotonic() < end:
        began = time.monotonic()
        await page.edit(some_edit(page, number))
        if plays:  # a page that plays the song asks for all of it after an edit
            (await page.client.get(f"/songs/{page.song}/song/playing")).raise_for_status()
        number += 1
        await asyncio.sleep(max(0.0, every_s - (time.monotonic() - began)))


def p(took_ms: list[float], percent: float) -> float:
    return float(np.percentile(took_ms, percent))


async def fifty(address: str, names: list[str]) -> None:
    pages = [await with_song(await signed_in(address, name)) for name in names]
    alone = pages[0]
    await works(alone, 10, 0.25, plays=False)
    alone.took_ms.clear()
    await works(alone, 15, 0.25, plays=False)
    one = p(alone.took_ms, 95)
    print(
        f"  one person alone: an edit p50 {p(alone.took_ms, 50):.0f} ms, p95 {one:.0f} ms ({len(alone.took_ms)} edits)"
    )
    for page in pages:
        page.took_ms.clear()
    await asyncio.gather(*(works(page, LASTS_S, EVERY_S, number % 3 == 0) for number, page in enumerate(pages)))
    took = [ms for page in pages for ms in page.took_ms]
    print(
        f"  {len(pages)} people, an edit every {EVERY_S:g} s each, a third playing: p50 {p(took, 50):.0f} ms, "
        f"p95 {p(took, 95):.0f} ms = {p(took, 95) / one:.1f} x alone ({len(took)} edits, 0 errors)"
    )
    lost = 0
    for page in pages:
        state = await page.look()
        lost += abs(state["song"]["revision"] - page.began - (page.number - page.before))
        await page.client.aclose()
    print(f"  lost or doubled: {lost}")


async def throughput(address: str, names: list[str], seconds: float = 12.0) -> float:
    """Edits a second of some who never rest."""
    pages = [await with_song(await signed_in(address, name)) for name in names]

    async def never_rests(page: Page) -> None:
        end, number = time.monotonic() + seconds, 0
        while time.monotonic() < end:
            await page.edit(some_edit(page, number))
            number += 1

    await asyncio.gather(*(never_rests(page) for page in pages))
    for page in pages:
        await page.client.aclose()
    return sum(page.number - page.before for page in pages) / seconds


async def together(address: str, names: list[str]) -> None:
    """All in one song, each on a line that drops and delays."""
    pages = [await signed_in(address, name) for name in names]
    await with_song(pages[0])
    song = pages[0].song
    pages[0].there.clear()
    made = await pages[0].client.post(f"/songs/{song}/links", data={"kind": "write"})
    link = re.search(r'value="[^"]*(/link/[^"]+)"', made.text).group(1)
    for page in pages[1:]:
        page.song = song
        await page.client.post(f"{link}/write")
    sent_at: dict[str, float] = {}
    seen_s: list[float] = []
    enough = asyncio.Event()

    async def follow(page: Page) -> None:
        """The stream is cut now and then, too; the page comes back by itself."""
        known: set[int] = set()
        while not enough.is_set():
            try:
                async with page.client.stream("GET", f"/songs/{song}/live", params={"tab": page.tab}) as stream:
                    async for line in stream.aiter_lines():
                        if enough.is_set():
                            return
                        if not line.startswith("data:") or "revision" not in line:
                            continue
                        await asyncio.sleep(DELAY_S)
                        told = json.loads(line[5:])
                        for revision in range(max(known, default=told["revision"] - 1) + 1, told["revision"] + 1):
                            if str(revision) in sent_at:
                                seen_s.append(time.monotonic() - sent_at[str(revision)])
                            known.add(revision)
                        page.revision = max(page.revision, told["revision"])
            except httpx.TransportError:
                await asyncio.sleep(0.2)

    async def write(page: Page, place: int) -> None:
        end, number = time.monotonic() + TOGETHER_S, 0
        every_s = len(pages) / EDITS_A_SECOND
        await asyncio.sleep(every_s * place / len(pages))
        voice = ("kick", "snare", "hat_closed", "rim", "clap", "hat_open", "tambourine", "shaker")[place]
        while time.monotonic() < end:
            began = time.monotonic()
            await page.edit(toggled(page, voice, (number % 14) * 480 + 240))
            sent_at.setdefault(str(page.revision), began)
            number += 1
            await asyncio.sleep(max(0.0, every_s - (time.monotonic() - began)))

    for page in pages:
        await page.look()
        page.bad_line = True
    followers = [asyncio.create_task(follow(page)) for page in pages]
    await asyncio.sleep(1.0)
    began = pages[0].revision
    await asyncio.gather(*(write(page, place) for place, page in enumerate(pages)))
    await asyncio.sleep(2.0)
    enough.set()
    for task in followers:
        task.cancel()
    states = [await page.look() for page in pages]
    same = len({json.dumps(state["data"]["hits"], sort_keys=True) for state in states}) == 1
    edits = sum(page.number - page.before for page in pages)
    line = f"{DROPPED:.0%} dropped, {DELAY_S * 1000:.0f} ms late, {TOGETHER_S:.0f} s"
    lost = abs(states[0]["song"]["revision"] - began - edits)
    again = sum(page.again for page in pages)
    print(f"  {len(pages)} people in one song, {EDITS_A_SECOND:g} edits a second, {line}: {edits} edits,")
    shown = "the same song" if same else "DIFFERENT SONGS"
    print(f"    sent again {again} times, lost or doubled {lost}, {shown} at every page,")
    print(f"    seen by the others p50 {p(seen_s, 50):.2f} s, p95 {p(seen_s, 95):.2f} s after it was sent")
    for page in pages:
        await page.client.aclose()


def prepared(servers: Servers, count: int) -> list[str]:
    database = Database(servers.url)
    names = [f"Person {number:02d}" for number in range(count)]
    for name in names:
        with database.transaction() as session:
            _, invitation = invite(session, name)
            take_up(session, invitation, PASSWORD)
    database.close()
    return names


def main(seconds_together: float | None = None) -> None:
    global TOGETHER_S
    if missing := missing_programs():
        print(f"many: {' and '.join(missing)} missing: ./pocket test --many installs them", file=sys.stderr)
        return
    TOGETHER_S = seconds_together or TOGETHER_S
    found = {}
    for web in (1, 2):
        with tempfile.TemporaryDirectory(prefix="ep-") as folder:
            servers = Servers(Path(folder), web=web, workers=0)
            try:
                names = prepared(servers, PEOPLE)
                found[web] = asyncio.run(throughput(servers.address, names[:8]))
                print(f"  {web} web process{'es' if web > 1 else ''}: {found[web]:.0f} edits a second")
                if web == 2:
                    print(f"  two processes: {found[2] / found[1]:.2f} x one")
                    asyncio.run(fifty(servers.address, names))
                    asyncio.run(together(servers.address, names[:TOGETHER]))
            finally:
                servers.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else None)
