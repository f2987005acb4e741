"""Live events: each goes to its own team only, a stranger gets none, a slow one harms nobody."""

import asyncio
import json

import pytest
from django.test import Client

from yardstick_server.live.hub import MOST_WAITING, Hub


def test_events_go_to_the_watchers_of_their_workspace():
    async def scene():
        hub = Hub()
        async with hub.watching(1) as ours, hub.watching(2) as theirs:
            hub.hand_out(1, "mine")
            hub.hand_out(None, "all")
            return [ours.get_nowait(), ours.get_nowait()], [theirs.get_nowait()], len(hub.watchers)

    assert asyncio.run(scene()) == (["mine", "all"], ["all"], 2)


def test_a_watcher_that_left_is_forgotten():
    async def scene():
        hub = Hub()
        async with hub.watching(1):
            pass
        return len(hub.watchers)

    assert asyncio.run(scene()) == 0


def test_a_slow_watcher_loses_its_oldest_events_not_the_newest():
    async def scene():
        hub = Hub()
        async with hub.watching(1) as queue:
            for n in range(MOST_WAITING + 5):
                hub.hand_out(1, str(n))
            return queue.get_nowait(), queue.qsize()

    assert asyncio.run(scene()) == ("5", MOST_WAITING - 1)


def ask(path: str, cookie: str = "", leave_after: int = 2) -> list[dict]:
    """Ask the live server as a browser would; what it sent until the browser left."""
    from yardstick_server.live import asgi

    sent: list[dict] = []

    async def scene():
        async def receive():
            while len(sent) < leave_after:
                await asyncio.sleep(0.01)
            return {"type": "http.disconnect"}

        async def send(message):
            sent.append(message)
            if len(sent) == 2:
                asgi.hub.hand_out(None, json.dumps({"kind": "again"}))

        headers = [(b"cookie", cookie.encode())] if cookie else []
        scope = {"type": "http", "method": "GET", "path": path, "headers": headers}
        await asyncio.wait_for(asgi.application(scope, receive, send), 10)

    asyncio.run(scene())
    return sent


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("cookie", ["", "sessionid=nonsense", "other=1"])
def test_a_stranger_gets_no_stream(cookie):
    assert ask("/events", cookie)[0]["status"] == 401


@pytest.mark.django_db(transaction=True)
def test_other_addresses_hold_nothing():
    assert ask("/")[0]["status"] == 404


@pytest.mark.django_db(transaction=True)
def test_a_member_gets_events_and_only_for_our_own_origin():
    from server.worlds import make_world
    from yardstick_server.live import asgi

    asgi.KEEP_ALIVE_SECONDS = 0.2
    world = make_world("listeners")
    cookie = f"sessionid={world.owner.cookies['sessionid'].value}"
    sent = ask("/events", cookie, leave_after=3)
    assert sent[0]["status"] == 200
    headers = dict(sent[0]["headers"])
    assert headers[b"content-type"] == b"text/event-stream"
    assert headers[b"access-control-allow-origin"] == b"http://127.0.0.1:8000"
    assert sent[2]["body"] == b'data: {"kind": "again"}\n\n'


@pytest.mark.django_db(transaction=True)
def test_whoever_is_taken_out_or_has_a_new_password_gets_no_more_events():
    from server.worlds import make_world
    from yardstick_server.live import asgi

    asgi.KEEP_ALIVE_SECONDS = asgi.CHECK_SECONDS = 0.1
    world = make_world("leavers")
    user = world.workspace.members.get(role="owner").user
    cookie = f"sessionid={world.owner.cookies['sessionid'].value}"
    assert asgi._workspace(cookie) == world.workspace.pk
    sent: list[dict] = []

    async def scene():
        async def stays():
            await asyncio.sleep(60)

        async def send(message):
            sent.append(message)
            if len(sent) == 2:
                await asyncio.to_thread(change_password)

        def change_password():
            from django.db import connection

            user.set_password("linen-and-wool-7")
            user.save()
            connection.close()

        scope = {
            "type": "http", "method": "GET", "path": "/events",
            "headers": [(b"cookie", cookie.encode())],
        }  # fmt: skip
        await asyncio.wait_for(asgi.application(scope, stays, send), 10)

    asyncio.run(scene())
    assert sent[0]["status"] == 200
    assert sent[-1] == {"type": "http.response.body", "body": b""}
    assert asgi._workspace(cookie) is None


@pytest.mark.django_db(transaction=True)
def test_what_changes_is_told_over_the_database():
    import psycopg
    from django.conf import settings

    from server.worlds import make_world
    from yardstick_server.notify import CHANNEL

    world = make_world("tellers")
    database = settings.DATABASES["default"]
    with psycopg.connect(
        host=database["HOST"], port=database["PORT"], dbname=database["NAME"],
        user=database["USER"], password=database["PASSWORD"], autocommit=True,
    ) as listening:  # fmt: skip
        listening.execute(f"LISTEN {CHANNEL}")
        world.study.add_rounds(1)
        run = world.rig.post("/api/agent/runs/take").json()["run"]
        big = {"progress": {"step": "Open", "beats": [[n, 1, 2.5] for n in range(2000)]}}
        world.rig.post(f"/api/agent/runs/{run}/heartbeat", big, content_type="application/json")
        told = [json.loads(n.payload) for n in listening.notifies(timeout=2, stop_after=2)]
    assert told[0] == {
        "workspace": world.workspace.pk, "kind": "run", "study": world.study.pk, "run": run,
    }  # fmt: skip
    assert told[1]["progress"] == {"step": "Open"}
    assert Client().get("/api/studies").status_code == 401
