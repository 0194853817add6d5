"""What is kept in memory: never more than it may be, the least lately used goes first, and the core gets its share."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.caches import ByteCache, cache_sizes, give_core_its_caches
from easy_pocket.core.cache import ResultCache


@pytest.fixture
def provider():
    """The provider as it was, whatever a test does to it."""
    yield
    give_core_its_caches()


@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 120)), max_size=60))
def test_it_holds_what_it_may_and_gives_what_was_put_last(puts):
    cache: ByteCache[tuple[int, int]] = ByteCache("of a test", 300, lambda value: value[1])
    for key, size in puts:
        value = (key, size)
        assert cache.put(key, value) == value
        assert cache.facts["bytes"] <= 300
        found = cache.find(key)
        assert found == value or size > 300 or found is None


def test_the_least_lately_used_goes_first():
    cache: ByteCache[bytes] = ByteCache("of a test", 300, len)
    for key in "abc":
        cache.put(key, bytes(100))
    cache.find("a")
    cache.put("d", bytes(100))
    assert [key for key in "abcd" if cache.find(key)] == ["a", "c", "d"]


def test_several_threads_get_one_value():
    cache: ByteCache[object] = ByteCache("of a test", 10_000, lambda _: 100)
    with ThreadPoolExecutor(8) as threads:
        list(threads.map(lambda number: cache.get(number % 5, object), range(400)))
    assert len({id(cache.find(number)) for number in range(5)}) == 5
    assert cache.facts["entries"] == 5


@pytest.mark.parametrize(
    ("value", "least"),
    [
        (np.zeros(1000), 8000),
        ([np.zeros(100)] * 20, 16_000),
        ({"a": np.zeros(50), "b": "x" * 500}, 900),
        (b"x" * 700, 700),
        (3, 1),
    ],
)
def test_sizes_are_about_what_a_value_takes(value, least):
    cache: ByteCache[object] = ByteCache("of a test", 1 << 20)
    cache.put("one", value)
    size = cache.facts["bytes"]
    assert isinstance(size, int)
    assert least <= size <= 4 * least + 4000


def test_a_share_of_the_caches_is_a_share_of_their_bytes(provider):
    give_core_its_caches()
    names = {place.name for place in ResultCache.places}
    whole = {one["name"]: one["most_bytes"] for one in cache_sizes() if one["name"] in names}
    give_core_its_caches(share=0.25)
    quarter: dict[object, int] = {}
    for one in cache_sizes():
        if one["name"] in names:
            most = one["most_bytes"]
            assert isinstance(most, int)
            quarter[one["name"]] = min(most, quarter.get(one["name"], most))
    assert quarter == {name: int(int(str(most)) * 0.25) for name, most in whole.items()}


def test_without_a_provider_everything_is_made_anew(provider):
    place: ResultCache[int] = ResultCache("of a test", 1000)
    made: list[int] = []

    def make() -> int:
        made.append(1)
        return 1

    ResultCache.provide(None)
    try:
        for _ in range(3):
            place.get("one", make)
        assert len(made) == 3
        give_core_its_caches()
        for _ in range(3):
            place.get("one", make)
        assert len(made) == 4
        place.clear()
        place.get("one", make)
        assert len(made) == 5
    finally:
        ResultCache.places.remove(place)
