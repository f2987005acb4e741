"""The display: windows of the subject told from others, changes seen, keys bound."""

import os
import subprocess
import sys
import threading
import time

import pytest
import xcffib
import xcffib.xproto

from yardstick_agent.changes import Changes
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.errors import DisplayError
from yardstick_agent.display.input import Input, Keyboard
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.display.watcher import Watcher
from yardstick_agent.display.windows import Window
from yardstick_agent.sampling.processes import children, descends_from
from yardstick_agent.spool.ring import Ring
from yardstick_core.script import keys

pytestmark = pytest.mark.screen

SPLASH = """
import time, tkinter
root = tkinter.Tk(); root.withdraw()
splash = tkinter.Toplevel(root); splash.title("Splash"); splash.geometry("200x100")
splash.update(); time.sleep(0.3)
root.title("Main"); root.geometry("500x300"); root.deiconify(); root.update()
splash.destroy(); root.update()
menu = tkinter.Toplevel(root); menu.overrideredirect(True); menu.geometry("900x700")
menu.update()
root.mainloop()
"""
PARENT = """
import subprocess, sys
subprocess.run([sys.executable, "-c", sys.argv[1]])
"""
PYTHON = "/usr/bin/python3"


@pytest.fixture(scope="module")
def display():
    with VirtualDisplay() as display:
        yield display


@pytest.fixture(params=["compiled", "interpreted"])
def watched(display, request):
    """A watcher of one program's windows, and what it kept as frames."""
    started: list[subprocess.Popen] = []
    frames: list[int] = []
    watcher = Watcher(
        display.name,
        lambda pid: any(descends_from(pid, process.pid) for process in started),
        frames.extend,
        Changes(),
        ring=Ring() if request.param == "compiled" else None,
    )
    watcher.start()

    def start(*command: str) -> subprocess.Popen:
        started.append(
            subprocess.Popen(
                command, env={**os.environ, "DISPLAY": display.name}, start_new_session=True
            )
        )
        return started[-1]

    yield watcher, start, frames
    for process in started:
        os.killpg(process.pid, 9)
        process.wait()
    watcher.stop()


def wait_for(true, seconds=10):
    deadline = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < deadline
        time.sleep(0.02)


def test_a_splash_gives_way_to_the_main_window(watched):
    watcher, start, frames = watched
    start(PYTHON, "-c", SPLASH)
    wait_for(lambda: watcher.titled("Main") and watcher.titled("Main")[0].visible)
    wait_for(lambda: watcher.titled("Splash")[0].gone_ns > 0)
    main = watcher.titled("Main")[0]
    splash = watcher.titled("Splash")[0]
    assert splash.shown_ns < splash.gone_ns
    assert splash.shown_ns < main.shown_ns
    assert (main.width, main.height) == (500, 300)
    wait_for(lambda: watcher.last_change_ns and main.changed_ns > 0)
    assert frames


def test_a_window_that_was_shown_before_we_looked_is_found(watched, display):
    """On a busy machine the news of a window may come after all that happened to it."""
    from types import SimpleNamespace

    watcher, start, _ = watched
    watcher._created, held = (lambda event: None), watcher._created
    process = start(PYTHON, "-c", SPLASH)
    time.sleep(2)
    assert watcher.windows == {}
    watcher._created = held
    looking = Connection(display.name)
    client_list = looking.property(looking.root, "_NET_CLIENT_LIST")
    shown = [
        int.from_bytes(client_list[n : n + 4], sys.byteorder) for n in range(0, len(client_list), 4)
    ]
    mine = [w for w in shown if looking.owner_pid(w) == process.pid]
    assert mine
    late = SimpleNamespace(
        window=mine[-1], parent=looking.root, width=500, height=300, override_redirect=0
    )
    looking.close()
    other = Watcher(display.name, lambda pid: True, lambda pictures: None, Changes())
    other._created(late)
    assert other.windows[mine[-1]].visible
    assert other.windows[mine[-1]].title == "Main"


def test_a_popup_is_not_taken_for_the_main_window(watched):
    watcher, start, _ = watched
    start(PYTHON, "-c", SPLASH)
    wait_for(lambda: any(w.popup and w.visible for w in watcher.windows.values()))
    assert watcher.main_window().title == "Main"


def test_a_window_of_a_child_process_belongs_to_the_subject(watched):
    watcher, start, _ = watched
    start(PYTHON, "-c", PARENT, SPLASH)
    wait_for(lambda: watcher.titled("Main") and watcher.titled("Main")[0].visible)


def test_windows_of_others_are_not_looked_at(watched, display):
    watcher, _, frames = watched
    other = subprocess.Popen([PYTHON, "-c", SPLASH], env={**os.environ, "DISPLAY": display.name})
    try:
        time.sleep(1.5)
        assert watcher.windows == {}
        assert frames == []
    finally:
        other.kill()
        other.wait()


@pytest.fixture
def connection(display):
    connection = Connection(display.name)
    yield connection
    connection.close()


def made(connection: Connection, parent: int, *, place=(0, 0, 64, 48)) -> int:
    """A window without a frame, not mapped."""
    window = connection.raw.generate_id()
    connection.core.CreateWindow(
        0, window, parent, *place, 0, 1, connection.screen.root_visual,
        xcffib.xproto.CW.OverrideRedirect, [1],
    )  # fmt: skip
    return window


def test_a_window_is_viewable_when_its_frame_is_shown(connection):
    """A window manager shows a window first, and then the frame that it has put it into."""
    frame = made(connection, connection.root)
    window = made(connection, frame)
    for mapped, shown, viewable in ((None, 0, 0), (window, 1, 0), (frame, 1, 1)):
        if mapped is not None:
            connection.core.MapWindow(mapped)
        assert (connection.is_shown(window), connection.is_viewable(window)) == (shown, viewable)
    connection.core.DestroyWindow(frame)
    assert not connection.is_viewable(window)


def test_a_window_is_bare_where_what_is_to_cover_it_is_not_shown_yet(connection):
    window = made(connection, connection.root)
    assert not connection.is_bare_at(window, 20, 20)  # nothing is to cover it
    inside = made(connection, window, place=(0, 10, 64, 38))
    for mapped, bare in ((window, True), (inside, False)):
        connection.core.MapWindow(mapped)
        assert connection.is_bare_at(window, 20, 20) is bare
        assert not connection.is_bare_at(window, 20, 5)  # beside it
    made(connection, window)  # beneath what is shown, as another tab's page may lie
    assert not connection.is_bare_at(window, 20, 20)
    connection.core.DestroyWindow(window)
    assert not connection.is_bare_at(window, 20, 20)


def test_a_window_is_bare_until_what_lies_in_it_has_its_size(connection):
    """What a toolkit puts into its window is one pixel large until it hears of that window."""
    window = made(connection, connection.root)
    inside = made(connection, window, place=(0, 0, 1, 1))
    connection.core.MapWindow(window)
    assert connection.is_bare_at(window, 20, 20)
    connection.core.MapWindow(inside)
    assert not connection.is_bare_at(window, 20, 20)  # meant to be this small
    connection.core.UnmapWindow(inside)
    connection.core.MapWindow(made(connection, window))
    assert not connection.is_bare_at(window, 20, 20)  # something else takes the input


def test_a_late_receipt_is_stamped_with_the_servers_time(watched):
    watcher, _, _ = watched
    received, area = 5_000_000_000, (7, 0, 0, 64, 48)
    watcher.windows[7] = Window(7, "Loom", 64, 48, False, shown_ns=1)
    for server_ms in (5_000, 4_999):
        watcher._changed(received, server_ms, area)
        assert watcher.windows[7].changed_ns == received
    assert watcher.starved == 0
    watcher._last_change_ns = 0
    watcher._changed(received, 4_985, area)
    assert watcher.windows[7].changed_ns == 4_985_500_000
    assert (watcher.starved, watcher.longest_lag_ns) == (1, 15_000_000)


def test_a_display_that_is_not_there_says_so():
    with pytest.raises(DisplayError, match=":987 cannot be reached"):
        Connection(":987")


def test_a_virtual_display_leaves_no_process_behind():
    with VirtualDisplay() as display:
        pids = display.process_ids
        assert len(pids) == 2
        described = Connection(display.name).describe()
        assert (described["width"], described["height"]) == (1280, 800)
    assert not any(os.path.exists(f"/proc/{pid}") for pid in pids)


def test_every_character_gets_a_key(display):
    connection = Connection(display.name)
    keyboard = Keyboard(connection)
    wanted = [keys.character_keysym(c) for c in "aZ9!/äßłΩ織"]
    keyboard.prepare(wanted)
    codes = [keyboard.code(keysym) for keysym in wanted]
    assert len(set(codes)) == len(codes)
    assert keyboard.code(keys.character_keysym("Z"))[1]
    assert not keyboard.code(keys.character_keysym("a"))[1]
    connection.close()


def test_a_key_released_after_its_modifiers_are_named():
    assert keys.chord_keysyms("Ctrl+O") == (0xFFE3, ord("o"))
    assert keys.chord_keysyms("O") == (ord("O"),)
    assert keys.unknown_key("Ctrl+Shift+F5") is None
    assert keys.unknown_key("Control+O") == "Control"
    with pytest.raises(ValueError, match="is no chord"):
        keys.chord_keysyms("Ctrl+Nowhere")


def test_python_with_tk_is_there_for_these_tests():
    assert subprocess.run([PYTHON, "-c", "import tkinter"]).returncode == 0
    assert sys.version_info >= (3, 11)


def test_no_input_opens_a_menu_or_starts_a_program_on_a_virtual_display():
    with VirtualDisplay(640, 480) as display:
        connection, inputs = Connection(display.name), Input(display.name)

        def shown():
            tree = connection.core.QueryTree(connection.root).reply()
            return [window for window in tree.children if connection.is_shown(window)]

        before = shown()
        for button in ("right", "middle", "left"):
            inputs.click(600, 460, button, False)
            time.sleep(0.2)
        for chord in ("Super+E", "Alt+Space", "Ctrl+Alt+Right", "Alt+Escape"):
            inputs.press(chord)
        time.sleep(0.3)
        assert shown() == before
        assert [children(pid) for pid in display.process_ids] == [[], []]
        inputs.close()
        connection.close()


def test_a_manager_that_is_there_before_it_listens_is_waited_for():
    """What asks to be shown meanwhile may never be: the first windows here are not."""
    with VirtualDisplay(320, 200, manager=False) as bare:
        manager, asking = Connection(bare.name), Connection(bare.name)
        redirect = xcffib.xproto.EventMask.SubstructureRedirect
        manager.core.ChangeWindowAttributes(manager.root, xcffib.xproto.CW.EventMask, [redirect])
        manager.core.GetInputFocus().reply()
        assert not asking.shows_windows(0.3)
        listens_from = time.monotonic() + 0.7

        def manage():
            while True:
                try:
                    event = manager.raw.wait_for_event()
                except xcffib.ConnectionException:
                    return
                asks = isinstance(event, xcffib.xproto.MapRequestEvent)
                if asks and time.monotonic() > listens_from:
                    manager.core.MapWindow(event.window)
                    manager.raw.flush()

        thread = threading.Thread(target=manage)
        thread.start()
        assert asking.shows_windows(10)
        assert time.monotonic() > listens_from
        assert not list(asking.core.QueryTree(asking.root).reply().children)
        asking.close()
    thread.join()
