"""A small system of Debian's packages, started in an emulator and watched from outside it.

It has a user who is never at it: lingering starts that user's agent with the machine. What the
system says on its serial line, and when the emulator was reset, is told by the clock out here.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import socket
import subprocess
import threading
import time
from pathlib import Path

from yardstick_command.install import Missing, say
from yardstick_command.places import PROJECT, VENV_PYTHON

TOOLS = {
    "qemu-system-x86_64": "qemu-system-x86", "mmdebstrap": "mmdebstrap", "mke2fs": "e2fsprogs",
}  # fmt: skip
PACKAGES = (
    "systemd-sysv", "dbus-user-session", "libpam-systemd", "udev", "linux-image-cloud-amd64",
    "initramfs-tools", "python3", "python3-venv", "xvfb", "openbox", "dbus-daemon", "sudo",
)  # fmt: skip
DISK = "6G"
MEMORY_MIB = "1024"
#: The host as the guest sees it.
OUTSIDE = "10.0.2.2"
USER = "weaver"

NETWORK = """\
[Match]
Name=e*
[Network]
Address=10.0.2.15/24
Gateway=10.0.2.2
"""
#: Joins as a person would, by the lines that joining says; only on the first start.
JOIN = """\
[Unit]
After=network-online.target user@1000.service
Wants=network-online.target
ConditionPathExists=!/home/weaver/.config/noble-yardstick/rig.json
[Service]
Type=oneshot
User=weaver
Environment=XDG_RUNTIME_DIR=/run/user/1000
ExecStart=/opt/setup/join.sh
StandardOutput=journal+console
StandardError=journal+console
[Install]
WantedBy=multi-user.target
"""
JOINING = """\
#!/bin/sh -e
for word in $(cat /proc/cmdline); do
    case "$word" in
        yardstick.server=*) server="${word#*=}" ;;
        yardstick.token=*) token="${word#*=}" ;;
    esac
done
/opt/agent/bin/yardstick-agent join --service "$server" "$token"
/opt/agent/bin/yardstick-agent allow subject -- /opt/agent/bin/python /opt/setup/soaking.py 0
python3 - <<'END'
import json, pathlib
file = pathlib.Path("~/.config/noble-yardstick/rig.json").expanduser()
rig = json.loads(file.read_text())
rig["programs"]["subject"]["log"] = "soaking.log"
rig["restart"] = {"command": ["sudo", "systemctl", "reboot"], "by_hand": True}
file.write_text(json.dumps(rig))
END
systemctl --user enable --now noble-yardstick-agent.service
"""


def check_tools() -> None:
    """Raises Missing where a program is not there, with the line that installs it."""
    lacking = [package for tool, package in TOOLS.items() if shutil.which(tool) is None]
    if lacking:
        raise Missing(
            f"An emulator and what makes a small system are needed:\n\n"
            f"    apt-get install --no-install-recommends {' '.join(lacking)}"
        )


def build(folder: Path, wheel: bytes, wheel_name: str) -> None:
    """Make disk, kernel and first file system in a folder, with the agent as it is handed out.

    What was made of the same parts before is taken as it is.
    """
    subject = Path(__file__).with_name("soaking.py")
    parts = [wheel, subject.read_bytes(), Path(__file__).read_bytes()]
    made_of = hashlib.sha256(b"".join(parts)).hexdigest()
    mark = folder / "made-of"
    if mark.exists() and mark.read_text() == made_of:
        return
    shutil.rmtree(folder, ignore_errors=True)
    setup, wheels = folder / "setup", folder / "wheels"
    for one in (setup, wheels):
        one.mkdir(parents=True)
    (setup / "eth.network").write_text(NETWORK)
    (setup / "join.service").write_text(JOIN)
    (setup / "join.sh").write_text(JOINING)
    (setup / "join.sh").chmod(0o755)
    (setup / "sudoers").write_text(f"{USER} ALL=(root) NOPASSWD: /usr/bin/systemctl reboot\n")
    shutil.copy(subject, setup)
    (wheels / wheel_name).write_bytes(wheel)
    _fetch(wheels, "-r", str(PROJECT / "requirements" / "agent.txt"))
    _fetch(wheels, _pinned("pygame-ce"))
    say("making a small system of Debian's packages (two minutes)")
    pip = "/opt/agent/bin/pip install -q --no-index --no-deps"
    inside = (
        f"useradd --create-home --shell /bin/sh {USER}",
        "install -m 440 /opt/setup/sudoers /etc/sudoers.d/restart",
        "install -m 644 /opt/setup/eth.network /etc/systemd/network/",
        "install -m 644 /opt/setup/join.service /etc/systemd/system/",
        "systemctl -q enable systemd-networkd systemd-networkd-wait-online join",
        f"install -D /dev/null /var/lib/systemd/linger/{USER}",
        "python3 -m venv /opt/agent",
        f"sh -c '{pip} /opt/wheels/*.whl'",
        "rm -r /opt/wheels",
    )
    hooks = [
        f"copy-in {setup} /opt", f"copy-in {wheels} /opt",
        "chmod -R a+rX \"$1\"/opt/setup \"$1\"/opt/wheels",
        *(f'chroot "$1" env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin {one}' for one in inside),
        f'cp "$1"/boot/vmlinuz-* {folder}/kernel', f'cp "$1"/boot/initrd.img-* {folder}/initrd',
        # a view of it without what is mounted in it
        f'mkdir {folder}/bare && mount --bind "$1" {folder}/bare',
        f"mke2fs -q -t ext4 -d {folder}/bare {folder}/disk {DISK}", f"umount {folder}/bare",
    ]  # fmt: skip
    made = subprocess.run(
        [
            "mmdebstrap", "--quiet", "--variant=minbase", f"--include={','.join(PACKAGES)}",
            "--format=null", *(f"--customize-hook={hook}" for hook in hooks), "bookworm",
        ],
        capture_output=True, text=True,
    )  # fmt: skip
    if made.returncode:
        raise Missing(f"the small system could not be made:\n{made.stderr[-2000:]}")
    mark.write_text(made_of)


def _fetch(wheels: Path, *what: str) -> None:
    """Wheels of packages, built here where the index has none."""
    made = subprocess.run(
        [str(VENV_PYTHON), "-m", "pip", "wheel", "-q", "--no-deps", "-w", str(wheels), *what],
        capture_output=True, text=True,
    )  # fmt: skip
    if made.returncode:
        raise Missing(f"what the agent needs could not be fetched:\n{made.stderr[-2000:]}")


def _pinned(package: str) -> str:
    lines = (PROJECT / "requirements" / "dev.txt").read_text().splitlines()
    return next(line.split()[0] for line in lines if line.startswith(f"{package}=="))


class SmallSystem:
    """The system in its emulator: what it said and when, by this machine's clock, s."""

    def __init__(self, folder: Path, server: str, token: str) -> None:
        self.folder = folder
        self.said: list[tuple[float, str]] = []
        self.resets: list[float] = []
        self._heard = threading.Condition()
        monitor = folder / "monitor"
        monitor.unlink(missing_ok=True)
        self._log = (folder / "serial.log").open("w", buffering=1)
        # the emulator without the processor's help: it is to be had everywhere
        self.process = subprocess.Popen(
            [
                "qemu-system-x86_64", "-accel", "tcg,thread=multi", "-cpu", "max", "-smp", "2",
                "-m", MEMORY_MIB, "-kernel", str(folder / "kernel"),
                "-initrd", str(folder / "initrd"),
                "-append", "root=/dev/vda rw console=ttyS0 earlyprintk=ttyS0 "
                "systemd.journald.forward_to_console=1 systemd.show_status=0 "
                f"yardstick.server={server} yardstick.token={token}",
                "-drive", f"file={folder / 'disk'},format=raw,if=virtio,snapshot=on",
                "-netdev", "user,id=net", "-device", "virtio-net-pci,netdev=net,id=card",
                "-display", "none", "-serial", "stdio",
                "-qmp", f"unix:{monitor},server=on,wait=off",
            ],
            stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
        )  # fmt: skip
        threading.Thread(target=self._hear, daemon=True).start()
        while not monitor.exists() and self.process.poll() is None:
            time.sleep(0.05)
        self._socket = socket.socket(socket.AF_UNIX)
        self._socket.connect(str(monitor))
        self._monitor = self._socket.makefile("rw")
        threading.Thread(target=self._events, daemon=True).start()
        self.tell("qmp_capabilities")

    def _hear(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            with self._heard:
                self.said.append((time.time(), line.decode(errors="replace").strip()))
                print(f"{self.said[-1][0]:.3f} {self.said[-1][1]}", file=self._log)
                self._heard.notify_all()

    def _events(self) -> None:
        for line in self._monitor:
            found = json.loads(line)
            if found.get("event") == "RESET":
                at = found["timestamp"]
                self.resets.append(at["seconds"] + at["microseconds"] / 1e6)

    def tell(self, what: str, **arguments: object) -> None:
        """Have the emulator do something."""
        self._monitor.write(json.dumps({"execute": what, "arguments": arguments}) + "\n")
        self._monitor.flush()

    def plug(self, *, connected: bool) -> None:
        """Plug the network cable in or out."""
        self.tell("set_link", name="card", up=connected)

    def switch_off_and_on(self) -> None:
        """As by its button: what the system had not written to its disk is gone."""
        self.tell("system_reset")

    def wait_for(self, text: str, after: float, within_s: float) -> float:
        """When a line with a text was heard after an instant. Raises TimeoutError."""
        until = time.monotonic() + within_s
        with self._heard:
            while True:
                for at, line in self.said:
                    if at > after and text in line:
                        return float(at)
                left = until - time.monotonic()
                if left <= 0 or self.process.poll() is not None:
                    raise TimeoutError(f"“{text}” was not heard within {within_s:g} s")
                self._heard.wait(min(left, 1.0))

    def end(self) -> None:
        self.process.terminate()
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()
        self._socket.close()


def environment_for_guest(environment: dict[str, str]) -> dict[str, str]:
    """Settings of a server that answers by the name the guest has for this machine too."""
    return {**environment, "YARDSTICK_HOSTS": f"127.0.0.1,localhost,{OUTSIDE}"}
