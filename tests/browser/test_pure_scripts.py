"""Scripts that only compute, run by themselves in Chromium: arithmetic of playing, geometry of the rails, keys, queue."""

import json
import re

import pytest


@pytest.fixture
def module(page, address):
    """Run a function of a module of ours, on an empty page of ours: module("schedule.js", "(m) => m.firstFrom([1], 0)")."""
    page.goto("/no-such-page")
    shared = page.evaluate("document.querySelector('script[type=module]').src").removesuffix("app.js")

    def run(name, function, *values):
        code = f"async (given) => ({function})(await import('{shared}{name}'), ...given)"
        return page.evaluate(code, list(values))

    return run


@pytest.mark.parametrize(
    ("times", "at", "wanted"),
    [([], 1.0, 0), ([1.0, 2.0, 2.0, 3.0], 2.0, 1), ([1.0, 2.0], 2.5, 2), ([1.0], -4.0, 0)],
)
def test_the_first_time_that_is_not_before_another(module, times, at, wanted):
    assert module("schedule.js", "(m, times, at) => m.firstFrom(times, at)", times, at) == wanted


def test_the_bar_of_a_song_in_which_a_time_lies(module):
    song = {"bars_s": [0.0, 2.0, 4.0, 5.0]}
    places = [module("schedule.js", "(m, song, at) => m.placeIn(song, at)", song, at) for at in (-1, 0, 3, 4.25, 9)]
    assert [place["bar"] for place in places] == [0, 0, 1, 2, 2]
    assert [round(place["share"], 3) for place in places] == [0, 0, 0.5, 0.25, 1]


def playing(first_differs, felt=3, straight=None):
    columns = [{"start_s": [number]} for number in range(felt)]
    told = {"felt": columns[0], "felt_more": columns[1:], "first_pass_differs": first_differs}
    return {**told, "straight": straight, "straight_more": []}


@pytest.mark.parametrize(("first_differs", "wanted"), [(False, [0, 1, 2, 0, 1, 2, 0]), (True, [0, 1, 2, 1, 2, 1, 2])])
def test_passes_come_round_to_the_first_or_when_it_differs_to_the_second(module, first_differs, wanted):
    passes = "(m, playing) => [0, 1, 2, 3, 4, 5, 6].map((pass) => m.columnsOf(playing, 'felt', pass).start_s[0])"
    assert module("schedule.js", passes, playing(first_differs)) == wanted


def test_until_the_straight_columns_have_come_it_is_felt(module):
    first = "(m, playing) => m.columnsOf(playing, 'straight', 1).start_s[0]"
    assert module("schedule.js", first, playing(False)) == 1
    assert module("schedule.js", first, playing(False, straight={"start_s": [9]})) == 9


def test_two_performances_sound_alike_whatever_the_order_of_their_fields(module):
    one = {"felt": {"gain": [1], "pan": [0]}, "straight": None, "tempo_bpm": 100, "layered_loops": []}
    same = {"layered_loops": [], "tempo_bpm": 100, "felt": {"pan": [0], "gain": [1]}, "straight": {"gain": [2]}}
    alike = "(m, one, other) => m.soundsAlike(one, other)"
    assert module("schedule.js", alike, one, same) is True
    assert module("schedule.js", alike, one, {**same, "tempo_bpm": 101}) is False
    assert module("schedule.js", alike, one, {**same, "felt": {"pan": [0], "gain": [1.1]}}) is False
    assert module("schedule.js", alike, None, same) is False


@pytest.mark.parametrize("width", [300, 917.5])
@pytest.mark.parametrize("look", [{"start": 0, "end": 7680}, {"start": 960, "end": 1920}])
def test_a_place_on_a_rail_leads_back_to_its_tick(module, look, width):
    back = "(m, look, width, ticks) => ticks.map((tick) => m.tickOf(m.xOf(tick, look, width), look, width))"
    ticks = [look["start"], look["start"] + 7, look["end"], -240]
    assert module("rail_geometry.js", back, look, width, ticks) == pytest.approx(ticks, abs=1e-6)


def test_a_louder_hit_stands_higher_and_a_late_one_to_the_right(module):
    facts = {"msPerTick": 0.5, "step": 240}
    look = {"start": 0, "end": 3840, "magnify": 3}
    place = "(m, hit, look, facts) => m.placed(hit, look, facts, 800, 60)"
    soft = module("rail_geometry.js", place, {"tick": 960, "offset": 0, "played": 30}, look, facts)
    loud = module("rail_geometry.js", place, {"tick": 960, "offset": 0, "played": 120}, look, facts)
    late = module("rail_geometry.js", place, {"tick": 960, "offset": 8, "played": 120}, look, facts)
    assert loud["head"] < soft["head"] < soft["base"] == loud["base"]
    assert soft["x"] == soft["foot"] == loud["x"]
    # 8 ms are 16 ticks, drawn three times as far as they are.
    assert late["x"] - late["foot"] == pytest.approx(800 * (1 - 2 * 1.7 / 100) * 48 / 3840)


@pytest.mark.parametrize(
    ("event", "wanted"),
    [
        ({"key": " "}, "Space"),
        ({"key": "G", "shiftKey": True}, "G"),
        ({"key": "ArrowUp", "shiftKey": True}, "Shift+ArrowUp"),
        ({"key": "Z", "ctrlKey": True, "shiftKey": True}, "Ctrl+Shift+z"),
        ({"key": "c", "metaKey": True}, "Ctrl+c"),
        ({"key": "x", "altKey": True}, ""),
    ],
)
def test_names_of_keys(module, event, wanted):
    assert module("keys.js", "(m, event) => m.nameOf(event)", event) == wanted


def test_the_first_row_that_holds_and_does_something_has_the_key(module):
    done = module(
        "keys.js",
        """(m) => {
            const done = [];
            const rows = [
                { keys: "a", when: () => false, run: () => done.push("not here") },
                { keys: "a", run: () => (done.push("looked further"), false) },
                { keys: "1-4 a", run: () => done.push("did it") },
                { keys: "a", run: () => done.push("too late") },
            ];
            return [m.press(rows, { key: "a" }), m.press(rows, { key: "3" }), m.press(rows, { key: "5" }), done];
        }""",
    )
    assert done == [True, True, False, ["looked further", "did it", "did it"]]


QUEUE = """async (m, answers) => {
    sessionStorage.clear();
    const [sent, told] = [[], []];
    window.fetch = async (address, options) => {
        sent.push([address, JSON.parse(options.body)]);
        const [status, body] = answers.shift();
        return new Response(JSON.stringify(body), { status });
    };
    const edits = new m.Edits(7, 3, () => ({ screen: "bench" }));
    for (const name of ["state", "parked", "failing"]) edits.addEventListener(name, ({ detail }) => told.push([name, detail.words ?? detail.item?.edit?.tempo_bpm]));
    const tempo = (tempo_bpm, gesture = null) => edits.push({ kind: "tempo", tempo_bpm }, { gesture });
    const settled = [tempo(90), tempo(91, "drag"), tempo(92, "drag"), tempo(93)];
    const results = (await Promise.all(settled)).map((result) => result && result.song.revision);
    return { sent, told, results, revision: edits.revision, left: edits.queue.length, parked: edits.parked.length };
}"""


def made(revision):
    return [200, {"song": {"revision": revision}}]


def test_edits_go_one_after_another_and_those_of_one_gesture_replace_each_other(module):
    done = module("edit_queue.js", QUEUE, [made(4), made(5), made(6)])
    assert [body["edit"]["tempo_bpm"] for _, body in done["sent"]] == [90, 92, 93]
    assert {address for address, _ in done["sent"]} == {"/songs/7/edits"}
    assert len({body["edit_id"] for _, body in done["sent"]}) == 3
    assert done["results"] == [4, None, 5, 6]
    assert (done["revision"], done["left"], done["parked"]) == (6, 0, 0)


def test_one_that_cannot_be_made_is_parked_and_the_others_go_on(module):
    done = module("edit_queue.js", QUEUE, [made(4), [422, {"error": "Too fast."}], made(5)])
    assert done["told"] == [["state", 90], ["parked", "Too fast."], ["state", 93]]
    assert done["results"] == [4, None, None, 5]
    assert (done["left"], done["parked"]) == (0, 1)


def test_while_the_server_is_away_the_same_edit_is_sent_again(module):
    done = module(
        "edit_queue.js", QUEUE, [[503, {"error": "The database does not answer."}], made(4), made(5), made(6)]
    )
    ids = [body["edit_id"] for _, body in done["sent"]]
    assert ids[0] == ids[1]
    assert len(set(ids)) == 3
    assert done["told"][0] == ["failing", "The database does not answer."]
    assert done["results"] == [4, None, 5, 6]


def test_a_kept_queue_with_rubbish_in_it_does_not_jam(module):
    kept = json.dumps([None, {"path": "rm"}, {"path": "edits", "edit": {"kind": "tempo", "tempo_bpm": 80}}, 4])
    sent = module(
        "edit_queue.js",
        """async (m, kept) => {
            sessionStorage.setItem("easy-pocket-edits-8", kept);
            const sent = new Promise((go) => (window.fetch = async (_, { body }) => (go(JSON.parse(body)), new Response('{"song": {"revision": 9}}'))));
            new m.Edits(8, 1, () => ({}));
            return await sent;
        }""",
        kept,
    )
    assert sent["edit"] == {"kind": "tempo", "tempo_bpm": 80}
    assert re.fullmatch(r"[A-Za-z0-9_-]{6,60}", sent["edit_id"])


CLOCK = """(m, gaps) => {
    const context = { state: "running", currentTime: 0 };
    const clock = new m.AudioClock({ context });
    const real = performance.now.bind(performance);
    performance.now = () => 1e6;
    return gaps.map((gap) => {
        context.currentTime = 1000 - gap;
        clock.sample();
        return Math.round(clock.gap * 1000);
    });
}"""


def test_of_two_clocks_the_pair_that_lags_least_is_right_while_the_page_is_busy(module):
    busy = [1.0, 1.09, 1.0, 1.05, 1.1] * 30
    assert set(module("audio_clock.js", CLOCK, busy)) == {1000}


def test_after_the_sound_stood_still_the_clock_goes_with_it(module):
    found = module("audio_clock.js", CLOCK, [1.0] * 40 + [1.44, 1.5, 1.441] * 8)
    assert found[39] == 1000
    assert found[-1] == 1440
    assert found.index(1440) < 40 + 13  # half a second later


def test_a_hit_that_came_after_its_pass_was_sent_is_in_the_next_one(module):
    found = module(
        "../screens/takes/pass_keeper.js",
        """(m) => {
            const sent = [];
            const keeper = new m.PassKeeper({
                page: { player: { running: false, context: {} } }, armed: { has: () => true },
                clock: { heardAt: (ms) => ms / 1000 }, latency: { of: () => 0 },
                keepPass: (round, hits) => sent.push(hits),
            });
            const round = { anchor: 10, length_s: 2, length_ticks: 3840, tempo_bpm: 120 };
            keeper.now = () => round;
            keeper.on = true;
            keeper.sentUpTo = 3;  // passes 0 to 2 are over
            keeper.take("kick", 90, 15500, "pad");
            keeper.take("snare", 80, 16500, "pad");
            keeper.take("rim", 70, 15960, "pad");  // early for the first slot: it stays where it was struck
            keeper.send(round, 3, false);
            return sent;
        }""",
    )
    assert found == [[["kick", -20, 90], ["snare", 500, 80], ["rim", -40, 70]]]


def test_the_order_in_which_sections_were_started_with_what_went_round_and_what_was_left_early(module):
    found = module(
        "started_order.js",
        """(m) => {
            const span = (section, first_bar, bars) => ({ section, first_bar, bars });
            const player = { addEventListener() {}, now: 19, anchor: 10, turnLength: 4 };
            const song = { spans: [span(7, 1, 2), span(8, 3, 2), span(9, 5, 1)], bars_s: [0, 2, 4, 6, 8, 10] };
            const plan = { player, song, heard_s: 8.5 };
            const order = new m.StartedOrder(plan);
            order.begin(0, { from_s: 0, to_s: 4 });
            order.jump(4, 4, false);   // round twice, a third time to its end
            order.jump(6, 0, false);   // the next one is left after a bar
            order.jump(4, 4, false);
            order.jump(4, 8, true);    // another one in its place
            return order.played;
        }""",
    )
    assert found == [[7, 2], [7, 2], [7, 2], [8, 1], [7, 2], [9, 1]]
