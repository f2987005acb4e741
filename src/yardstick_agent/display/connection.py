"""A connection to an X server with the few requests that the agent makes of it."""

from __future__ import annotations

import os
import re
import socket
import struct
import time
from typing import Any, NamedTuple

import xcffib
import xcffib.damage
import xcffib.randr
import xcffib.res
import xcffib.xproto
import xcffib.xtest

from yardstick_agent.display.errors import DisplayError
from yardstick_core.streams.pictures import Rectangle

#: Has no whole types of its own.
_xcffib: Any = xcffib

CLIENT_PID = 2
#: A window that was not shown after so long asks once more.
ASKED_AGAIN_S = 0.5
#: A damage event: type, level, number, drawable, damage, server's ms, x, y, width, height.
_DAMAGE = struct.Struct("=BBHIIIhhHH")
_SENT = 0x80
#: Of who is at the other end of a socket: process, user, group.
_CREDENTIALS = struct.Struct("=iII")
#: What a request about a window that no longer exists ends in.
GONE = (xcffib.ProtocolException, xcffib.Error)


class Drawn(NamedTuple):
    """A rectangle of a window that was drawn anew; the server's clock in ms modulo 2³²."""

    server_ms: int
    area: Rectangle


class Connection:
    """One client of the display; not shared between threads that wait for events."""

    def __init__(self, display: str) -> None:
        try:
            self.raw: Any = _xcffib.connect(display=display)
        except xcffib.ConnectionException as error:
            raise DisplayError(f"the display {display} cannot be reached") from error
        self.core: Any = self.raw.core
        setup = self.raw.get_setup()
        self.setup = setup
        self.screen = setup.roots[self.raw.pref_screen]
        self.root: int = self.screen.root
        self._atoms: dict[str, int] = {}
        damage = self.core.QueryExtension(len("DAMAGE"), "DAMAGE").reply()
        #: The number that reports of what was drawn have among events.
        self.drawn_event = damage.first_event if damage.present else -1

    def next_event(self) -> xcffib.Event | Drawn:
        """Wait for the next event. Raises xcffib.ConnectionException where the display ended.

        There may be hundreds of Drawn a second, so that they are read without the detour over
        general event objects.
        """
        event = xcffib.lib.xcb_wait_for_event(self.raw._conn)
        if event == _xcffib.ffi.NULL or event.response_type & ~_SENT != self.drawn_event:
            self.raw.invalid()
            return self.raw.hoist_event(_xcffib.ffi.gc(event, _xcffib.c_free))
        fields = _DAMAGE.unpack_from(_xcffib.ffi.buffer(event, _DAMAGE.size))
        _xcffib.c_free(event)
        _, _, _, window, _, server_ms, *box = fields
        return Drawn(server_ms, (window, *box))

    def event_at(self, address: int) -> xcffib.Event | None:
        """An event that was waited for elsewhere; None of an error about a window that is gone."""
        event = _xcffib.ffi.cast("xcb_generic_event_t *", address)
        try:
            return self.raw.hoist_event(_xcffib.ffi.gc(event, _xcffib.c_free))
        except GONE:
            return None

    def server_user(self) -> int:
        """The number of the user that the display runs as; our own where it cannot be told."""
        try:
            with socket.socket(fileno=os.dup(self.raw.get_file_descriptor())) as peer:
                told = peer.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, _CREDENTIALS.size)
        except OSError:
            return os.geteuid()
        return int(_CREDENTIALS.unpack(told)[1])

    def close(self) -> None:
        self.raw.disconnect()

    def atom(self, name: str) -> int:
        if name not in self._atoms:
            reply = self.core.InternAtom(False, len(name), name).reply()
            self._atoms[name] = reply.atom
        return self._atoms[name]

    def property(self, window: int, name: str) -> bytes:
        """The value of a window's property, empty where it has none or the window is gone."""
        try:
            reply = self.core.GetProperty(
                False, window, self.atom(name), xcffib.xproto.GetPropertyType.Any, 0, 4096
            ).reply()
        except GONE:
            return b""
        return bytes(reply.value.buf())

    def has_manager(self) -> bool:
        return len(self.property(self.root, "_NET_SUPPORTING_WM_CHECK")) >= 4

    def shows_windows(self, within_s: float) -> bool:
        """Whether a window that asks to be shown is, within so long.

        A window manager says that it is there before it listens: one that asks meanwhile may never
        be shown. So a window of no size to speak of asks, again and again.
        """
        until = time.monotonic() + within_s
        while time.monotonic() < until:
            if self._showed_one(min(until, time.monotonic() + ASKED_AGAIN_S)):
                return True
        return False

    def _showed_one(self, until: float) -> bool:
        window, shown = self.raw.generate_id(), False
        of_parent, output = 0, xcffib.xproto.WindowClass.InputOutput
        self.core.CreateWindow(
            of_parent, window, self.root, 0, 0, 1, 1, 0, output, of_parent, 0, []
        )
        self.core.MapWindow(window)
        while not shown and time.monotonic() < until:
            shown = self.is_shown(window)
            time.sleep(0 if shown else 0.005)
        self.core.DestroyWindow(window)
        self.core.GetInputFocus().reply()  # it has been done by now
        return shown

    def title(self, window: int) -> str:
        text = self.property(window, "_NET_WM_NAME") or self.property(window, "WM_NAME")
        return text.decode("utf-8", "replace")

    def owner_pid(self, window: int) -> int:
        """Process that made a window, 0 where the server does not know."""
        resources = self.raw(xcffib.res.key)
        spec = xcffib.res.ClientIdSpec.synthetic(window, 1 << (CLIENT_PID - 1))
        try:
            reply = resources.QueryClientIds(1, [spec]).reply()
        except GONE:
            return 0
        for answer in reply.ids:
            if answer.length >= 4:
                return int(answer.value[0])
        stated = self.property(window, "_NET_WM_PID")
        return struct.unpack("=I", stated[:4])[0] if len(stated) >= 4 else 0

    def is_shown(self, window: int) -> bool:
        """Whether a window is mapped just now."""
        return self._map_state(window) != xcffib.xproto.MapState.Unmapped

    def is_viewable(self, window: int) -> bool:
        """Whether a window is mapped just now, and so is all that it lies in."""
        return self._map_state(window) == xcffib.xproto.MapState.Viewable

    def is_bare_at(self, window: int, x: int, y: int) -> bool:
        """Whether a place of a window, pixels, is to be covered by a child that is not mapped yet.

        Some programs lay out and map what takes the input only once they have heard that the
        window around it is: until then it lies unmapped, one pixel large. A covering child that
        is mapped covers it.
        """
        try:
            children = self.core.QueryTree(window).reply().children
        except GONE:
            return False
        to_cover = [child for child in children if self._may_cover(child, x, y)]
        return bool(to_cover) and not any(map(self.is_shown, to_cover))

    def _may_cover(self, child: int, x: int, y: int) -> bool:
        """Whether a child covers a place, or has not been given its size yet."""
        try:
            it = self.core.GetGeometry(child).reply()
        except GONE:
            return False
        if (it.x, it.y, it.width, it.height) == (0, 0, 1, 1):
            return not self.is_shown(child)
        return bool(0 <= x - it.x < it.width and 0 <= y - it.y < it.height)

    def _map_state(self, window: int) -> int:
        try:
            return int(self.core.GetWindowAttributes(window).reply().map_state)
        except GONE:
            return int(xcffib.xproto.MapState.Unmapped)

    def parent(self, window: int) -> int:
        """The window a window lies in just now, 0 where it is gone."""
        try:
            return int(self.core.QueryTree(window).reply().parent)
        except GONE:
            return 0

    def origin(self, window: int) -> tuple[int, int]:
        """Where a window's upper left corner lies on the screen, in pixels."""
        reply = self.core.TranslateCoordinates(window, self.root, 0, 0).reply()
        return reply.dst_x, reply.dst_y

    def ask_to_close(self, window: int) -> None:
        """Ask a window politely to close, as its title bar would."""
        self._tell(window, "WM_DELETE_WINDOW")

    def ask_to_answer(self, window: int) -> bool:
        """Ask a window's program whether it is there; False where it does not know how to answer.

        The answer is a message to the root window.
        """
        protocols = self.property(window, "WM_PROTOCOLS")
        known = struct.unpack(f"={len(protocols) // 4}I", protocols)
        if self.atom("_NET_WM_PING") not in known:
            return False
        self._tell(window, "_NET_WM_PING", window)
        return True

    def _tell(self, window: int, what: str, more: int = 0) -> None:
        data = struct.pack("=5I", self.atom(what), xcffib.CurrentTime, more, 0, 0)
        event = struct.pack("=BBHII", 33, 32, 0, window, self.atom("WM_PROTOCOLS")) + data
        self.core.SendEvent(False, window, 0, event)
        self.raw.flush()

    def extension(self, key: Any) -> Any:
        return self.raw(key)

    def describe(self) -> dict[str, Any]:
        """Facts about the display server."""
        return {
            "vendor": self.setup.vendor.to_string(),
            "release": self.setup.release_number,
            "width": self.screen.width_in_pixels,
            "height": self.screen.height_in_pixels,
            "depth": self.screen.root_depth,
            "scale": self._scale(),
            "refresh_hz": self._refresh_hz(),
            "manager": self._manager(),
        }

    def _scale(self) -> str:
        """The scale that programs are told, from the resolution set for text."""
        resources = self.property(self.root, "RESOURCE_MANAGER").decode("latin-1")
        told = re.search(r"^Xft\.dpi:\s*(\d+(\.\d+)?)\s*$", resources, re.MULTILINE)
        return f"{float(told[1]) / 96:.3g}" if told else "1"

    def _refresh_hz(self) -> float | str:
        """Pictures a second of the first output that is on."""
        try:
            outputs = self.raw(xcffib.randr.key)
            resources = outputs.GetScreenResourcesCurrent(self.root).reply()
            modes = {mode.id: mode for mode in resources.modes}
            for number in resources.crtcs:
                mode = modes.get(outputs.GetCrtcInfo(number, 0).reply().mode)
                if mode is not None and mode.htotal and mode.vtotal and mode.dot_clock:
                    return round(mode.dot_clock / mode.htotal / mode.vtotal, 2)
        except GONE:
            pass
        return "unknown"

    def _manager(self) -> str:
        """Name of the window manager."""
        owner = self.property(self.root, "_NET_SUPPORTING_WM_CHECK")
        if len(owner) < 4:
            return "none"
        return self.title(struct.unpack("=I", owner[:4])[0]) or "unknown"
