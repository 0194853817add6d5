"""What is made once: found again by its key, bounded, and opened only when this server wrote it."""

import os
import pickle

import pytest

from easy_pocket.store.agreed import done_before, done_now, give_back, lease, server_secret
from easy_pocket.store.made.made import Made
from easy_pocket.store.made.places import InFolder, InMemory, place_at


@pytest.fixture(params=["memory", "folder", "address"])
def place(request, tmp_path):
    if request.param == "memory":
        return InMemory()
    return place_at(str(tmp_path / "made") if request.param == "folder" else "memory://made")


def test_what_was_put_there_is_found_and_made_only_once(place):
    made, calls = Made(), []
    made.use(place, b"secret")
    assert made.get("a/b") is None
    for _ in range(2):
        assert made.once("a/b", lambda: calls.append(1) or b"sound") == b"sound"
    assert calls == [1]
    made.put("a/b", b"another")
    assert made.get("a/b") == b"another"
    made.drop("a/b")
    made.drop("a/b")
    assert made.get("a/b") is None


def test_a_value_is_opened_by_who_knows_the_secret_only(place):
    ours, same, theirs = Made(), Made(), Made()
    for made, secret in ((ours, b"one"), (same, b"one"), (theirs, b"two")):
        made.use(place, secret)
    ours.put_value("voice/x", {"drive": 0.3})
    assert same.get_value("voice/x") == {"drive": 0.3}
    assert theirs.get_value("voice/x") is None
    # Nor what somebody put there who can write to the place, nor what was moved to another key.
    place.put("voice/y", pickle.dumps({"drive": 0.3}))
    assert ours.get_value("voice/y") is None
    place.put("voice/z", place.get("voice/x"))
    assert ours.get_value("voice/z") is None


def test_a_folder_is_kept_within_its_bound_and_the_oldest_goes_first(tmp_path):
    place = InFolder(str(tmp_path / "made"), most_bytes=1_000_000)
    for number in range(4):
        place.put(f"key {number}", bytes([number]) * 1000)
        os.utime(place._path(f"key {number}"), (1000 + number, 1000 + number))
    assert InFolder(str(tmp_path / "made"), most_bytes=2500).clean() == 2
    assert [place.get(f"key {number}") is not None for number in range(4)] == [False, False, True, True]


def test_a_folder_is_cleaned_while_much_is_put_there(tmp_path):
    place = InFolder(str(tmp_path / "made"), most_bytes=80_000)
    for number in range(400):
        place.put(f"key {number}", bytes(1000))
    assert sum(one.stat().st_size for one in (tmp_path / "made").rglob("*") if one.is_file()) <= 80_000 * 1.125 + 1000


def test_a_place_that_fails_makes_it_slow_not_wrong():
    class Broken:
        def __getattr__(self, name):
            raise ConnectionError("away")

    made = Made()
    made.use(Broken(), b"secret")
    assert made.once("a", lambda: b"made now") == b"made now"
    assert made.get_value("a") is None


def test_all_processes_of_a_server_have_one_secret(store):
    assert server_secret(store) == server_secret(store)
    assert len(server_secret(store)) == 32


def test_one_holds_what_is_done_by_one_until_it_gives_it_back_or_dies(store):
    assert lease(store, "upkeep", "first", 60)
    assert not lease(store, "upkeep", "second", 60)
    assert lease(store, "upkeep", "first", 60)
    give_back(store, "upkeep", "second")
    assert not lease(store, "upkeep", "second", 60)
    give_back(store, "upkeep", "first")
    assert lease(store, "upkeep", "second", -2)  # it runs out at once: whoever held it died
    assert lease(store, "upkeep", "first", 60)


def test_what_is_done_once_is_known_and_not_done_again(store):
    with store.transaction() as session:
        assert done_before(session, "song abc") is None
        done_now(session, "song abc", "17")
    with store.transaction() as session:
        assert done_before(session, "song abc") == "17"
