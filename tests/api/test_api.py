"""The API on a real server and database: answers, refusals, stale edits, guards, jobs, sockets."""

import io
import json
import time
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
import soundfile
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from iskelo.core.survey import survey
from iskelo.demo.orrin_point import orrin_point
from iskelo.formats.rig_file import read_rig, write_rig
from server import Server
from usb import small_box


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=f"{server.url}/api", timeout=30) as client:
        yield client


def demo(api: httpx.Client) -> dict[str, Any]:
    answer = api.post("/rigs", json={"example": "orrin-point-rehearsal"})
    assert answer.status_code == 201
    return dict(answer.json())


def rename(name: str) -> list[dict[str, Any]]:
    return [{"edit": "set", "item": "rig", "values": {"name": name}}]


def finished(api: httpx.Client, check: str) -> dict[str, Any]:
    for _ in range(300):
        view = api.get(f"/checks/{check}").json()
        if view["state"] not in ("queued", "running"):
            return dict(view)
        time.sleep(0.1)
    raise AssertionError("the check does not end")


def test_an_edit_answers_with_the_rig_and_everything_computed_from_it(api: httpx.Client) -> None:
    state = demo(api)
    answer = api.post(f"/rigs/{state['id']}/edits", json={"revision": 1, "edits": rename("Else")}).json()
    assert (answer["revision"], answer["rig"]["name"], answer["undo"]) == (
        2,
        "Else",
        "Orrin Point, rehearsal: renamed to Else",
    )
    assert answer["survey"]["vitals"]["arriving"] == survey(orrin_point()).vitals.arriving


def test_a_stale_edit_gets_409_and_the_newer_state(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    api.post(f"{path}/edits", json={"revision": 1, "edits": rename("First")})
    late = api.post(f"{path}/edits", json={"revision": 1, "edits": rename("Late")})
    assert late.status_code == 409
    assert late.headers["content-type"] == "application/problem+json"
    assert late.json()["state"]["revision"] == 2
    assert late.json()["state"]["rig"]["name"] == "First"
    assert api.post(f"{path}/undo", json={"revision": 1}).status_code == 409


def test_refusals_name_place_and_reason_and_keep_nothing(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}/edits"
    box = next(gear for gear in state["rig"]["gear"] if gear["kind"] == "interface")
    wrong = {"edit": "set", "item": box["drivers"][0]["id"], "values": {"buffer_samples": 100}}
    answer = api.post(path, json={"revision": 1, "edits": [*rename("Half"), wrong]})
    assert answer.status_code == 422
    assert answer.json()["place"] == "Corvane 8, driver"
    assert "buffer 100 is not offered" in answer.json()["detail"]
    assert api.get(f"/rigs/{state['id']}").json()["rig"]["name"] == "Orrin Point, rehearsal"
    for body in ({"revision": 1, "edits": []}, {"revision": 1}, {"revision": 1, "edits": [{"edit": "explode"}]}):
        assert api.post(path, json=body).status_code == 422


def test_what_is_not_there_is_404_and_nothing_to_undo_is_409(api: httpx.Client) -> None:
    nobody = "/rigs/00000000-0000-0000-0000-000000000000"
    assert api.get(nobody).status_code == 404
    assert api.post(f"{nobody}/checks").status_code == 404
    assert api.get("/rigs/nonsense").status_code == 422
    assert api.get("/nothing").status_code == 404
    state = demo(api)
    assert api.post(f"/rigs/{state['id']}/undo", json={"revision": 1}).json()["detail"] == "There is nothing to undo."
    assert api.delete(f"/rigs/{state['id']}").status_code == 204
    assert api.get(f"/rigs/{state['id']}").status_code == 404


def test_trials_and_remedies_change_nothing(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    snag = next(s for s in state["survey"]["snags"] if s["rule"] == "two-inputs-on-one-channel")
    remedies = api.get(f"{path}/remedies", params={"snag": snag["key"]}).json()["remedies"]
    assert remedies[0]["words"] == "Set input Dov to channel 4"
    assert remedies[0]["trial"]["arriving_after"] == remedies[0]["trial"]["arriving_now"] + 1
    told = api.post(f"{path}/trial", json={"edits": remedies[0]["edits"]}).json()
    assert told == remedies[0]["trial"]
    assert api.get(path).json()["revision"] == 1
    assert api.get(f"{path}/remedies", params={"snag": "gone"}).json()["remedies"] == []
    line = state["survey"]["lines"][0]["id"]
    found = api.get(f"{path}/lines/{line}/choices", params={"column": "box_in"}).json()
    assert [choice["label"] for choice in found["choices"]][:2] == ["Corvane 8, jack 1", "Corvane 8, jack 2"]
    assert api.get(f"{path}/lines/l999/choices", params={"column": "box_in"}).status_code == 422


def test_export_and_import_give_an_equal_rig_with_an_equal_survey(api: httpx.Client) -> None:
    state = demo(api)
    file = api.get(f"/rigs/{state['id']}/export")
    assert 'filename="Orrin-Point-rehearsal.rig.json"' in file.headers["content-disposition"]
    assert read_rig(file.content) == orrin_point()
    back = api.post("/rigs/import", content=file.content).json()
    assert back["rig"] == state["rig"]
    assert back["survey"] == state["survey"]
    refused = api.post("/rigs/import", content=b'{"format": "iskelo rig", "version": 14}')
    assert refused.status_code == 422
    assert refused.json()["place"] == "version"


def test_a_line_check_runs_as_a_job_with_true_progress(api: httpx.Client, server: Server) -> None:
    state = demo(api)
    with connect(f"{server.url.replace('http', 'ws')}/api/rigs/{state['id']}/events") as socket:
        check = api.post(f"/rigs/{state['id']}/checks").json()
        shares, stages = [], set()
        while True:
            news = json.loads(socket.recv(timeout=30))["check"]
            if news and news["id"] == check["id"]:
                shares.append(news["share"])
                stages.add(news["stage"].split(",")[0])
                if news["state"] == "done":
                    break
    assert shares == sorted(shares)
    assert shares[-1] == 1
    assert len({share for share in shares if 0 < share < 1}) >= 2
    assert stages & {"weaving the test signal", "running the rig"}
    view = finished(api, check["id"])
    assert view["ledger"]["agreeing"] == len(view["ledger"]["targets"]) == 15
    assert api.get(f"/rigs/{state['id']}/checks/newest").json()["id"] == check["id"]
    take = api.get(f"/checks/{check['id']}/take.wav")
    info = soundfile.info(io.BytesIO(take.content))
    assert (info.channels, info.samplerate, info.subtype) == (15, 48_000, "PCM_24")
    named = f"Orrin%20Point%2C%20rehearsal%2C%20rev%20{check['revision']}%2C%20take%20"
    assert named in take.headers["content-disposition"]
    assert b"<NAME>Longhand track 2 Bertil</NAME>" in take.content
    part = api.get(f"/checks/{check['id']}/take.wav", headers={"Range": "bytes=10-19"})
    assert (part.status_code, part.content) == (206, take.content[10:20])
    assert api.get(f"/checks/{check['id']}/take.wav", headers={"Range": "bytes=-4"}).content == take.content[-4:]
    assert api.get(f"/checks/{check['id']}/take.wav", headers={"Range": "bytes=999999999-"}).status_code == 416
    drawn = api.get(f"/checks/{check['id']}/wave", params={"channel": 8, "bins": 50}).json()
    assert len(drawn["lows"]) == 50
    assert max(drawn["highs"]) > 0.05
    heard = api.get(f"/checks/{check['id']}/listen.wav", params={"channel": 8})
    assert soundfile.info(io.BytesIO(heard.content)).channels == 2
    assert api.get(f"/checks/{check['id']}/wave", params={"channel": 99}).status_code == 404


def test_a_proof_has_an_age(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    assert finished(api, api.post(f"{path}/checks").json()["id"])["state"] == "done"
    proved = api.get(path).json()["survey"]
    assert (proved["vitals"]["proved"], proved["vitals"]["stale"]) == (12, 0)
    renamed = api.post(f"{path}/edits", json={"revision": 1, "edits": rename("Else")}).json()["survey"]
    assert renamed["proofs"] == proved["proofs"]
    alma = next(t["id"] for g in state["rig"]["gear"] if g["kind"] == "program" for t in g["tracks"])
    off = {"edit": "set", "item": alma, "values": {"monitored": False}}
    after = api.post(f"{path}/edits", json={"revision": 2, "edits": [off]}).json()["survey"]
    assert (after["vitals"]["proved"], after["vitals"]["stale"]) == (12, 1)
    # The stale line alone is checked again; what was proved of the others still stands.
    old = [line for line, proof in after["proofs"].items() if proof == "stale"]
    again = finished(api, api.post(f"{path}/checks", json={"only": old}).json()["id"])
    assert [line["line"] for line in again["ledger"]["lines"]] == old
    assert len(again["ledger"]["targets"]) == 2
    vitals = api.get(path).json()["survey"]["vitals"]
    assert (vitals["proved"], vitals["stale"]) == (13, 0)
    undone = api.post(f"{path}/undo", json={"revision": 3}).json()["survey"]
    assert undone["vitals"]["stale"] == 1


def test_a_run_with_faults_is_told_and_proves_nothing(api: httpx.Client) -> None:
    path = f"/rigs/{demo(api)['id']}"
    faults = api.get(f"{path}/faults").json()
    lead = next(each for each in faults if each["words"].endswith("jack in 1 is out"))
    begun = api.post(f"{path}/checks", json={"faults": [lead["key"]]}).json()
    done = finished(api, begun["id"])
    assert done["state"] == "done"
    assert done["faults"] == [lead["words"]]
    first = next(row for row in done["ledger"]["targets"] if row["name"] == "Longhand track 1 Alma")
    assert (first["state"], first["words"]) == ("silent", "Alma not heard")
    state = api.get(path).json()
    assert state["survey"]["proofs"] == {}
    assert state["revision"] == 1
    refused = api.post(f"{path}/checks", json={"faults": ["out:none"]})
    assert refused.status_code == 422
    assert "not possible any more" in refused.json()["detail"]


def test_a_line_check_can_be_cancelled(api: httpx.Client) -> None:
    state = demo(api)
    check = api.post(f"/rigs/{state['id']}/checks").json()["id"]
    assert api.post(f"/checks/{check}/cancel").status_code == 200
    view = finished(api, check)
    assert (view["state"], view["ledger"], view["files"]) == ("cancelled", None, [])


def test_a_check_of_a_blank_rig_fails_with_what_is_missing(api: httpx.Client) -> None:
    blank = api.post("/rigs", json={"name": "Blank"}).json()
    view = finished(api, api.post(f"/rigs/{blank['id']}/checks").json()["id"])
    assert (view["state"], "add a microphone" in view["stage"]) == ("failed", True)


def test_an_input_list_is_read_and_planned_row_by_row(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}/input-list"
    found = api.post(f"{path}/read", content=b"source,box input\nInes,9\nIngrid,\n").json()
    assert found["titles"] == ["source", "box input"]
    assert found["mapping"] == {"source": 0, "box_input": 1}
    plan = api.post(f"{path}/plan", json={"rows": found["rows"]}).json()
    assert [row["accepted"] for row in plan["rows"]] == [False, True]
    assert plan["trial"]["wanted_after"] == 17
    kept = api.post(f"/rigs/{state['id']}/edits", json={"revision": 1, "edits": plan["edits"]})
    assert kept.status_code == 200
    assert api.post(f"{path}/read", content=b"").json()["detail"] == "the list is empty"
    corrected = api.post(f"{path}/read?column=name:1&column=source:0", content=b"a,b\nInes,Vox\n").json()
    assert [(row["source"], row["name"]) for row in corrected["rows"]] == [("a", "b"), ("Ines", "Vox")]
    beyond = api.post(f"{path}/read?column=name:7", content=b"a,b\n").json()
    assert (beyond["place"], beyond["detail"]) == ("name", "the list has 2 columns")
    assert api.post(f"{path}/read?column=colour:1", content=b"a,b\n").status_code == 422


def test_a_port_is_answered_for_though_no_line_wants_it(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    box = next(gear for gear in state["rig"]["gear"] if gear["kind"] == "interface")
    port = {"owner": box["id"], "bank": "jack_out", "number": 1}
    found = api.get(f"{path}/answer", params=port).json()
    said = [reach["said"] for reach in found["arrives"]]
    assert "System sounds voice 1 Beeps L" in said
    assert "Alma" in said
    assert [reach["said"] for reach in found["goes"]] == ["Director's phones L"]
    alma = next(reach for reach in found["arrives"] if reach["said"] == "Alma")
    assert (alma["delay_samples"], alma["unit"], alma["passes"]) == (59, "dBu", True)
    assert api.get(f"{path}/answer", params={**port, "number": 77}).json()["place"] == "port"


def test_a_swap_tells_where_every_jack_goes_and_what_is_lost(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    box = next(gear for gear in state["rig"]["gear"] if gear["kind"] == "interface")
    plan = api.post(f"{path}/swap", json={"item": box["id"], "text": "box 4x4"}).json()
    assert [jack["to"] for jack in plan["jacks"]][:4] == [None] * 4
    assert {jack["used_by"] for jack in plan["jacks"] if jack["to"] is None} == {
        "Gravel tray",
        "Creaking door",
        "Thunder sheet",
        "Tank hydrophone",
    }
    after = api.post(f"{path}/edits", json={"revision": 1, "edits": plan["edits"]}).json()
    assert after["survey"]["vitals"]["arriving"] == plan["trial"]["arriving_after"]
    assert "swapped Corvane 8 for Box" in after["words"]
    named = api.post(f"{path}/swap", json={"item": box["id"], "text": "havra"}).json()
    assert named["edits"][0]["gear"]["name"] == "Havra 16"
    assert api.post(f"{path}/swap", json={"item": box["id"], "text": "2 mic"}).status_code == 422


def test_gear_is_kept_shared_as_a_file_and_taken_out_again(api: httpx.Client) -> None:
    state = demo(api)
    box = next(gear for gear in state["rig"]["gear"] if gear["kind"] == "interface")
    shipped = api.get("/catalogue").json()
    assert {"Interface 2×2", "Interface 32×32 word clock, optical", "Built-in sound", "Longhand"} <= {
        entry["gear"]["name"] for entry in shipped
    }
    renamed = {"edit": "set", "item": box["id"], "values": {"name": "Ours"}}
    api.post(f"/rigs/{state['id']}/edits", json={"revision": 1, "edits": [renamed]})
    kept = api.post("/catalogue", json={"rig": state["id"], "gear": box["id"]}).json()
    (own,) = [entry for entry in kept if entry["gear"]["name"] == "Ours"]
    file = api.get("/catalogue/export").content
    assert [each["id"] for each in api.delete(f"/catalogue/{own['id']}").json() if each["gear"]["name"] == "Ours"] == []
    back = api.post("/catalogue/import", content=file).json()
    assert [entry["gear"]["name"] for entry in back if entry["id"] and entry["gear"]["name"] == "Ours"] == ["Ours"]
    blank = api.post("/rigs", json={"name": "Blank"}).json()
    added = api.post(f"/rigs/{blank['id']}/phrase", json={"revision": 1, "text": "2 ours"}).json()
    assert [gear["name"] for gear in added["rig"]["gear"]] == ["Ours", "Ours 2"]
    assert api.post("/catalogue/import", content=b"[]").json()["title"] == "The file cannot be read"
    described = api.post("/catalogue/import", content=small_box()).json()
    (usb,) = [each["gear"] for each in described if each["gear"]["name"] == "USB box 1d6b:0101"]
    assert (usb["capture"], usb["origins"]["link_in_samples"]) == (2, "described")
    refused = api.post("/catalogue/import", content=small_box()[:-1])
    assert refused.status_code == 422
    assert "cut off" in refused.json()["detail"]
    for entry in described:
        if entry["id"]:
            api.delete(f"/catalogue/{entry['id']}")


def test_the_ladder_and_a_fill_are_shown_before_anything_is_made(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    longhand = next(each for each in api.get(f"{path}/ladders").json() if each["name"] == "Longhand")
    verdicts = {rung["buffer_samples"]: (rung["verdict"], rung["late_lines"]) for rung in longhand["rungs"]}
    assert (verdicts[128], verdicts[256], verdicts[512]) == (("fits", 0), ("late", 2), ("late", 2))
    lines = [line["id"] for line in state["survey"]["lines"][:4]]
    body = {"lines": lines, "column": "program_in", "start": 1, "step": 1}
    plan = api.post(f"{path}/fill", json=body).json()
    assert plan["trial"]["arriving_after"] == plan["trial"]["arriving_now"] + 1
    assert api.get(path).json()["revision"] == 1
    beyond = api.post(f"{path}/fill", json={**body, "start": 99}).json()
    assert beyond["detail"] == "Hall has no capture channel 99; it has 18"


def test_a_rig_kept_by_the_first_version_is_brought_up(api: httpx.Client) -> None:
    document = json.loads(api.get(f"/rigs/{demo(api)['id']}/export").content)
    document["version"] = 1
    for gear in document["gear"]:
        if gear["kind"] == "interface":
            gear["driver"] = {
                name: value
                for name, value in gear.pop("drivers")[0].items()
                if name
                in ("id", "kind", "buffers_samples", "buffer_samples", "safety_in_samples", "safety_out_samples")
            }
            del gear["origins"]
            for name in ("phantom_on", "high_impedance_on", "output_trims_db"):
                del gear[name]
        if gear["kind"] == "source":
            del gear["origins"]
        if gear["kind"] == "program":
            gear["driver"] = None
    state = api.post("/rigs/import", content=json.dumps(document).encode())
    assert state.status_code == 201, state.json()
    box = next(gear for gear in state.json()["rig"]["gear"] if gear["kind"] == "interface")
    assert box["phantom_on"] == [1, 2, 3, 4, 5, 6, 7]
    # What arrived then arrives now: nothing the first version could not say blocks a line.
    vitals = state.json()["survey"]["vitals"]
    assert vitals["arriving"] == 12
    assert not vitals["slowest_heard_assumed"]
    assert box["origins"]["converter_in_samples"] == "typed"
    assert box["drivers"][0]["origins"] == {"safety_in_samples": "typed", "safety_out_samples": "typed"}


def test_guards(api: httpx.Client, server: Server) -> None:
    assert api.get("/rigs", headers={"Host": "elsewhere.example"}).status_code == 400
    foreign = api.post("/rigs", json={"name": "x"}, headers={"Origin": "http://elsewhere.example"})
    assert foreign.status_code == 403
    own = api.post("/rigs", json={"name": "x"}, headers={"Origin": server.url})
    assert own.status_code == 201
    assert api.post("/rigs/import", content=b" " * 18_000_000).status_code == 413

    def dribble() -> Iterator[bytes]:
        for _ in range(200):
            yield b" " * 100_000

    assert api.post("/rigs/import", content=dribble()).status_code == 413
    where = f"{server.url.replace('http', 'ws')}/api/rigs/{own.json()['id']}/events"
    with pytest.raises((InvalidStatus, ConnectionClosed)), connect(where, origin="http://elsewhere.example") as socket:
        socket.recv(timeout=5)


def test_two_windows_hear_of_each_others_edits(api: httpx.Client, server: Server) -> None:
    state = demo(api)
    with connect(f"{server.url.replace('http', 'ws')}/api/rigs/{state['id']}/events") as socket:
        assert json.loads(socket.recv(timeout=5))["revision"] == 1
        api.post(f"/rigs/{state['id']}/edits", json={"revision": 1, "edits": rename("Else")})
        assert json.loads(socket.recv(timeout=5))["revision"] == 2


def test_pages_come_from_one_file_and_unknown_api_paths_do_not(server: Server) -> None:
    page = httpx.get(f"{server.url}/rigs/any/lines")
    assert page.headers["content-type"].startswith("text/html")
    assert httpx.head(f"{server.url}/").status_code == 200
    assert httpx.get(f"{server.url}/api/none").headers["content-type"] == "application/problem+json"
    assert httpx.get(f"{server.url}/assets/none.js").status_code == 404


def test_the_rig_file_written_by_the_api_is_the_documented_one(api: httpx.Client) -> None:
    state = demo(api)
    assert api.get(f"/rigs/{state['id']}/export").content == write_rig(orrin_point())


def test_the_published_limits_stand_beside_their_sources(api: httpx.Client) -> None:
    """Figures from memory of the named documents; the first is common practice, no published source."""
    limits = {(each["source"].removesuffix(" (from memory)"), each["longest_ms"]) for each in api.get("/limits").json()}
    assert {("ITU-T G.114", 150), ("ITU-T G.114", 400), ("ITU-T G.131", 25)} <= limits
    assert {("ITU-R BT.1359", 125), ("ITU-R BT.1359", 185), ("EBU R 37", 60)} <= limits
    assert ("common practice, no published source", 10) in limits


def test_a_measured_round_trip_gives_edits_and_makes_nothing(api: httpx.Client) -> None:
    state = demo(api)
    path = f"/rigs/{state['id']}"
    driver = next(gear for gear in state["rig"]["gear"] if gear["kind"] == "interface")["drivers"][0]["id"]
    edits = api.post(f"{path}/round-trip", json={"driver": driver, "round_trip_samples": 700}).json()
    at = {"rate_hz": 48_000, "buffer_samples": 256}
    known = [{**at, "in_samples": 28, "out_samples": 101, "origin": "measured"}]
    assert edits[0]["values"] == {"offsets": known}
    assert api.get(path).json()["revision"] == 1
    after = api.post(f"{path}/edits", json={"revision": 1, "edits": edits})
    assert after.status_code == 200
    longhand = next(each for each in api.get(f"{path}/ladders").json() if each["name"] == "Longhand")
    assert longhand["round_trip_samples"] == 700
    refused = api.post(f"{path}/round-trip", json={"driver": driver, "round_trip_samples": 70})
    assert refused.status_code == 422
    assert "less than its buffers of 512" in refused.json()["detail"]
    edits = api.post(f"{path}/reported", json={"driver": driver, "in_samples": 330, "out_samples": 340}).json()
    assert [each["origin"] for each in edits[0]["values"]["offsets"]] == ["described"]
    refused = api.post(f"{path}/reported", json={"driver": driver, "in_samples": 330, "out_samples": 34})
    assert refused.status_code == 422
    assert "leaves converters out" in refused.json()["detail"]


def test_this_computers_own_timer_is_measured(api: httpx.Client) -> None:
    found = api.post("/computer/wakeups").json()
    assert 1 <= found["count"] <= 4000
    assert 0 < found["median_ms"] <= found["percentile_99_ms"] <= found["worst_ms"]
    assert f"{found['worst_ms']:.2f} ms late" in found["statement"]


def test_a_check_of_something_that_is_no_line_is_refused_before_it_is_kept(api: httpx.Client) -> None:
    refused = api.post(f"/rigs/{demo(api)['id']}/checks", json={"only": ["\x00l1"]})
    assert refused.status_code == 422
