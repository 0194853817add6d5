"""Work beside the pages: a long file is listened to while its progress is told, and stopped on request."""

import os
import time
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.home.dumps import is_dump
from easy_pocket.home.folder import home_folder
from easy_pocket.jobs import board
from easy_pocket.jobs.job import JobState
from easy_pocket.jobs.jobs import Jobs
from easy_pocket.jobs.workers import Workers
from easy_pocket.store.made.made import made
from easy_pocket.store.made.places import made_place
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.viewer import VIEWER_NOW, Viewer
from easy_pocket.web.app import make_app
from tests.drums import ROCK, beat, rendered, wav_bytes
from tests.editing import do
from tests.working import KEPT, SLIP, WAIT, die, give, last, refuse, take_memory

LOOP, _ = rendered(beat(ROCK), 112.0)


@pytest.fixture
def jobs(workers, store):
    return Jobs(workers, store)


def wait_for(true):
    """Until it is so; a minute at most."""
    end = time.monotonic() + 60
    while not true():
        assert time.monotonic() < end
        os.sched_yield()


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Slack Water").id


def ended(client, key):
    """The job when it has ended, and every share it told on the way."""
    shares = []
    while True:
        job = client.get(f"/jobs/{key}").json()
        shares.append(job["share"])
        if job["result"] or job["error"]:
            return job, shares


def test_a_long_file_is_listened_to_beside_the_page(client, song_id):
    data = wav_bytes(np.tile(LOOP.samples, (11, 1)))
    answer = client.post(f"/songs/{song_id}/loops/upload?name=long.wav", content=data)
    assert answer.status_code == 202
    job, shares = ended(client, answer.json()["job"])
    assert job["error"] is None
    assert shares == sorted(shares)
    html = client.get(job["result"]["address"]).text
    assert "long.wav" in html
    assert "22" in html.split('id="loop-bars"')[1][:80]
    assert job["result"]["song"]["undo"] == "bring in long.wav"


@pytest.fixture
def shared_client(store, tmp_path, monkeypatch):
    """With a place that the worker processes share, as the program has it."""
    monkeypatch.setenv("EASY_POCKET_MADE_URL", str(tmp_path / "made"))
    was = made.place, made.secret
    made.use(made_place(home_folder()), made.secret)
    workers = Workers(store.url)
    yield TestClient(make_app(store, workers=workers), headers={"origin": "http://testserver"})
    workers.close()
    made.use(*was)


def test_a_correction_of_a_long_file_does_not_listen_to_it_again(shared_client, song_id, monkeypatch):
    client = shared_client
    data = wav_bytes(np.tile(LOOP.samples, (11, 1)))
    job, _ = ended(client, client.post(f"/songs/{song_id}/loops/upload?name=long.wav", content=data).json()["job"])
    address, song = job["result"]["address"], job["result"]["song"]

    def again(*_args):
        raise AssertionError("it was listened to again")

    monkeypatch.setattr("easy_pocket.store.loops.listening.listen", again)
    change = {"kind": "remove", "time_s": 0.0}
    edit = {"kind": "loop_correct", "loop_id": int(address.rpartition("/")[2]), "change": change}
    before = client.get(address).text.count('class="onset')
    answer = client.post(f"/songs/{song_id}/edits", json={"revision": song["revision"], "edit": edit})
    assert answer.status_code == 200, answer.text
    assert client.get(address).text.count('class="onset') == before - 1


def test_a_file_without_hits_says_so_when_it_was_heard(client, song_id):
    data = wav_bytes(np.full((44_100 * 41, 1), 0.2, np.float32))
    job, _ = ended(client, client.post(f"/songs/{song_id}/loops/upload?name=hum.wav", content=data).json()["job"])
    assert "hum.wav holds no hits" in job["error"]


def test_what_is_stopped_ends_at_once_and_leaves_everything_as_it_was(jobs):
    KEPT.clear()
    key = jobs.start(WAIT, (600.0,))
    wait_for(lambda: jobs.find(key).share == 0.5)
    jobs.stop(key)
    wait_for(lambda: jobs.find(key).ended)
    assert "Stopped" in jobs.find(key).error
    assert KEPT == []


def test_hearing_can_be_stopped_at_every_step():
    told = []
    audio = Audio(np.tile(LOOP.samples, (3, 1)), 44_100, "x")
    analyze_loop(audio, on_progress=lambda share, words: told.append(share))
    assert told == sorted(told)
    assert len(told) >= 6
    for number in range(len(told)):
        steps = iter(range(len(told)))

        def stop(share, words, steps=steps, number=number):
            if next(steps) == number:
                raise BadValueError("stopped here")

        with pytest.raises(BadValueError, match="stopped here"):
            analyze_loop(audio, on_progress=stop)


def test_what_is_not_known_any_more_is_said_in_words(client, jobs):
    with pytest.raises(PocketError, match="started anew"):
        jobs.find("0" * 32)
    answer = client.get(f"/jobs/{'0' * 32}")
    assert answer.status_code == 404
    assert "Bring the file in again" in answer.json()["error"]


def test_work_that_fails_by_our_fault_says_so_and_is_in_the_log(jobs, caplog):
    key = jobs.start(SLIP, ())
    wait_for(lambda: jobs.find(key).ended)
    assert "nothing was changed" in jobs.find(key).error
    (record,) = [one for one in caplog.records if one.name == "easy_pocket.jobs.doing"]
    assert "a slip of ours" in str(record.exc_info[1])


def test_no_more_long_files_are_taken_than_there_is_room_for(jobs):
    keys = [jobs.start(WAIT, (600.0,)) for _ in range(4)]
    assert jobs.counts() == {"running": 2, "waiting": 2, "most_waiting": 4}
    with pytest.raises(PocketError, match="4 long things are being done already"):
        jobs.start(WAIT, (0.0,))
    for key in keys:
        jobs.stop(key)
    wait_for(lambda: all(jobs.find(key).ended for key in keys))
    assert jobs.counts()["running"] == 0


@pytest.mark.parametrize(
    ("work", "arguments", "words"),
    [
        (refuse, ("too loud",), "too loud"),
        (last, (600.0,), "took longer than 1 seconds and was ended"),
        (die, (), "broke the reader"),
        (take_memory, (), "more memory than there is"),
    ],
)
def test_what_goes_wrong_in_a_worker_is_said_in_words_and_the_next_work_is_done(workers, work, arguments, words):
    with pytest.raises(PocketError, match=words):
        workers.wait(workers.schedule(work, *arguments, seconds=1), 1)
    assert workers.wait(workers.schedule(give, 5)) == 5


def test_an_export_tells_its_progress_and_is_fetched_once(client, song_id):
    job_answer = client.get(f"/songs/{song_id}/song.wav?bits=32&job=1")
    assert job_answer.status_code == 202
    key = job_answer.json()["job"]
    job, shares = ended(client, key)
    assert job["error"] is None
    assert shares == sorted(shares)
    file = client.get(f"/jobs/{key}/file")
    direct = client.get(f"/songs/{song_id}/song.wav?bits=32")
    assert file.content == direct.content
    assert file.headers["content-disposition"] == direct.headers["content-disposition"]
    again = client.get(f"/jobs/{key}/file", headers={"Accept": "application/json"})
    assert again.status_code == 422
    assert "export it again" in again.json()["error"]


def test_an_export_is_stopped_and_writes_nothing(client, song_id):
    # Two long things are done at once: the export waits for them, so that it is stopped before its end.
    jobs = client.app.state.jobs
    before = [jobs.start(WAIT, (600.0,)) for _ in range(2)]
    key = client.get(f"/songs/{song_id}/song.flac?job=1").json()["job"]
    client.post(f"/jobs/{key}/stop")
    for one in before:
        jobs.stop(one)
    job, _ = ended(client, key)
    assert "Stopped; nothing was brought in or written" in job["error"]
    assert client.get(f"/jobs/{key}/file", headers={"Accept": "application/json"}).status_code == 422


def test_one_person_has_no_more_done_at_once_than_allowed_in_whichever_process(store, workers):
    """Two processes of one server; the job of one counts at the other."""
    first, second = Jobs(workers, store), Jobs(workers, store)
    token = VIEWER_NOW.set(Viewer(7, "Ada"))
    try:
        key = first.start(WAIT, (600.0,), most_of_one=1)
        with pytest.raises(PocketError, match="1 long things of yours"):
            second.start(WAIT, (600.0,), most_of_one=1)
        VIEWER_NOW.set(Viewer(8, "Ben"))
        other = second.start(WAIT, (600.0,), most_of_one=1)
        second.stop(other)
        VIEWER_NOW.set(Viewer(7, "Ada"))
        assert second.find(key).error is None
        first.stop(key)
        wait_for(lambda: second.find(key).ended)
        second.stop(second.start(WAIT, (600.0,), most_of_one=1))
    finally:
        VIEWER_NOW.reset(token)


def test_with_a_queue_waiting_is_no_dying(workers, store, monkeypatch):
    """A job waits as long as the workers need; one whose worker fell silent is begun once more, then given up."""
    sent = []
    jobs = Jobs(workers, store, sent.append)
    key = jobs.start(WAIT, (1.0,))
    assert sent == [key]
    moment = [time.time()]
    monkeypatch.setattr("easy_pocket.jobs.jobs.time.time", lambda: moment[0])
    moment[0] += 60
    assert (jobs.find(key).words, len(sent)) == ("waiting", 1)
    moment[0] += 70
    assert (jobs.find(key).error, len(sent)) == (None, 2)  # its message may have been lost
    for tries in (1, 2):
        assert jobs.find(key).tries == tries
        board.write(key, replace(jobs.find(key), begun=True, seen_at=moment[0], words="hearing"))
        moment[0] += 10
        assert jobs.find(key).words == "hearing"
        moment[0] += 15
        found = jobs.find(key)
    assert "died twice" in found.error
    assert len(sent) == 3


def test_a_job_of_a_program_that_ended_is_not_waited_for(workers, store):
    key = "0" * 31 + "1"
    board.write(key, JobState(share=0.4, words="hearing", seen_at=time.time() - 60, begun=True))
    assert "started anew" in Jobs(workers, store).find(key).error


def test_a_print_is_computed_by_a_job_and_then_made_by_its_edit(client, store, workers, monkeypatch):
    with store.transaction() as session:
        song = create_song(session, "Slack Water", hits=beat(ROCK).hits).id
    part = read_song(store.reader, song).part.id
    edit = {"kind": "print", "where": f"part:{part}", "to": "loop"}
    begun = client.post(f"/songs/{song}/prepare", json={"edit": edit})
    assert begun.status_code == 202
    job, _ = ended(client, begun.json()["job"])
    assert job["result"] == {"ready": True}

    def computed(*given):
        raise AssertionError("it was computed already")

    monkeypatch.setattr("easy_pocket.store.songs.edits.prints.print_place", computed)
    sent = {"revision": read_song(store.reader, song).revision, "edit": edit}
    made = client.post(f"/songs/{song}/edits", json=sent).json()
    assert made["song"]["undo"].startswith("print")
    do(store, song, "mix", part_id=part, voice="kick", field="mute", value=True)
    silent = {**edit, "where": f"part:{part}:kick"}
    job, _ = ended(client, client.post(f"/songs/{song}/prepare", json={"edit": silent}).json()["job"])
    assert "It is silent in these bars" in job["error"]
    refused = client.post(f"/songs/{song}/prepare", json={"edit": {"kind": "tempo", "tempo_bpm": 90}})
    assert (refused.status_code, "needs no preparing" in refused.json()["error"]) == (422, True)


def test_a_hand_of_many_hits_is_learned_by_a_job(client, store, song_id):
    rows = [("snare" if number % 2 else "kick", number * 30.0 + (number % 5) * 2, 80) for number in range(120)]
    take = 0
    for _ in range(6):
        played = {"length_ticks": 7680, "tempo_bpm": 120, "hits": rows, "take_id": take}
        take = do(store, song_id, "take_pass", **played).changed.made
    asked = client.get(f"/songs/{song_id}/takes/{take}/hand")
    assert asked.status_code == 202
    job, _ = ended(client, asked.json()["job"])
    assert job["result"] == {"ready": True}
    assert "jitter" in client.get(f"/songs/{song_id}/takes/{take}/hand").json()["html"]


def test_a_backup_is_kept_by_the_server_and_the_five_newest_stay(client, tmp_path):
    client.app.state.home = tmp_path
    for _ in range(6):
        job, _ = ended(client, client.post("/backups/now").json()["job"])
        assert job["error"] is None
        wait_for(lambda at=time.time(): int(time.time()) > int(at))  # they are named by the second
    kept = sorted((tmp_path / "dumps").iterdir())
    assert len(kept) == 5
    assert kept[-1].name == job["result"]["dump"]
    assert is_dump(kept[-1])
    assert client.get("/backups/kept").text.count("you asked for it") == 5
