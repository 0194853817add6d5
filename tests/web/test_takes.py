"""The Takes screen's answers."""

from __future__ import annotations

import pytest

from easy_pocket.store.songs.create import create_song
from tests.drums import ROCK, beat


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Slack Water", tempo_bpm=104, hits=beat(ROCK).hits).id


def test_page(client, song_id):
    answer = client.get(f"/songs/{song_id}/takes")
    assert answer.status_code == 200, answer.text[-3000:]
