"""`./yardstick bench boot [RUNS]`: sessions that restart a real small system, in an emulator.

Debian's packages make a system whose agent joins by the line that a person is shown. Its sessions
restart it; then one has it switched off and on, its network unplugged before. What the readings say
is held against what was heard from outside: the serial line, the emulator's own word of its reset.
"""

from __future__ import annotations

import base64
import json
import sys
import time
from pathlib import Path

from small_system import OUTSIDE, SmallSystem, build, check_tools, environment_for_guest

from yardstick_command import up
from yardstick_command.install import Missing, say
from yardstick_command.places import STATE
from yardstick_command.postgres import Cluster, free_port
from yardstick_command.processes import Together

RUNS = 3
PATIENCE_S = 600.0
#: From the kernel's first instruction to its first line, and from a line to its being heard.
HEARD_S = 1.0
#: The program that is played draws alike before and after.
NEAR = 0.2
TOKEN = "small-system"

RESTARTING = """\
session "Restart, then work"

step "Restart"
  restart, within 10min
  wait 20s

step "Work"
  start
  until window "Soaking" is shown, within 3min
  frames drawing
    wait 5s
"""
SWITCHED = """\
session "Work, switch off, work"

step "Before"
  start
  until window "Soaking" is shown, within 3min
  frames drawing
    wait 10s

step "Off and on"
  restart by hand, within 10min

step "After"
  start
  until window "Soaking" is shown, within 3min
  frames drawing
    wait 5s
"""

PREPARE = """
import json
from yardstick_server.accounts.models import Workspace, digest
from yardstick_server.inventory.models import Rig, Subject
from yardstick_server.studies.models import Study
w = Workspace.objects.create(name="boot")
s = Subject.objects.create(workspace=w, name="Soaking", maker="made up")
v = s.variants.create(name="1.0", program="subject")
Rig.objects.create(workspace=w, name="small system", token_digest=digest(TOKEN))
made = []
for script in SCRIPTS:
    t = Study.objects.create(workspace=w, subject=s, question="Q", factor="release")
    t.study_variants.create(variant=v, position=0)
    t.keep_script(script)
    plan = t.plan
    plan.cold_rounds = 0
    plan.save()
    made.append(t.pk)
print(json.dumps(made))
"""
WHEEL = """
import base64, json
from yardstick_server.joining import package
print(json.dumps([package.WHEEL, base64.b64encode(package.wheel()).decode()]))
"""
ADD = "from yardstick_server.studies.models import Study; Study.objects.get(pk={}).add_rounds(1)"
RUN = """
import json
from yardstick_core.streams.chunk import decode_journal
from yardstick_server.runs.models import Run
r = Run.objects.filter(study=STUDY).order_by("pk").last()
readings = [[x.metric, " / ".join(x.stretch), x.value, x.plus_minus] for x in r.readings.all()]
journal = [
    entry for c in r.chunks.filter(stream="journal").order_by("sequence")
    for entry in decode_journal(bytes(c.data))
]
print(json.dumps({"state": r.state, "outcome": r.outcome, "detail": r.detail,
    "readings": readings, "journal": journal}))
"""


def main() -> int:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else RUNS
    check_tools()
    cluster = Cluster("bench-postgres", quick=True)
    cluster.start()
    try:
        cluster.create_database("boot")
        return serve_and_play(cluster, STATE / "small-system", runs)
    finally:
        cluster.stop()
        cluster.remove()


def serve_and_play(cluster: Cluster, folder: Path, runs: int) -> int:
    """A server on this machine, and the small system beside it."""
    port, live_port = free_port(), free_port()
    environment = environment_for_guest(up.server_environment(cluster, "boot", port, live_port))
    up.manage(environment, "migrate", "--verbosity", "0")
    name, data = asked(environment, WHEEL)
    build(folder, base64.b64decode(data), name)
    scripts = json.dumps([RESTARTING, SWITCHED])
    code = PREPARE.replace("SCRIPTS", scripts).replace("TOKEN", json.dumps(TOKEN))
    restarting, switched = asked(environment, code)
    parts = [p for p in up.parts(environment, port, live_port, folder) if p.name != "agent"]
    for part in parts:
        part.name = f"boot-{part.name}"
    together = Together(parts)
    together.start()
    try:
        up.wait_until_served(port)
        began = time.time()
        say("starting the small system")
        system = SmallSystem(folder, f"http://{OUTSIDE}:{port}", TOKEN)
        try:
            system.wait_for("This machine is now the rig", began, PATIENCE_S)
            say(f"it joined {time.time() - began:.0f} s after power-on")
            good = [restarted(environment, system, restarting) for _ in range(runs)]
            good.append(switched_off(environment, system, switched))
        finally:
            system.end()
            say(f"what it said is in {folder / 'serial.log'}")
    finally:
        together.stop()
    return 0 if all(good) else 1


def restarted(environment: dict[str, str], system: SmallSystem, study: int) -> bool:
    """One run that restarts the system; whether it says what was heard from outside."""
    began = time.time()
    up.manage(environment, "shell", "-v", "0", "-c", ADD.format(study))
    asked_at = system.wait_for("COMMAND=/usr/bin/systemctl reboot", began, PATIENCE_S)
    run = ended(environment, study)
    print(f"\nrun {run['outcome']} {run['detail']}: restarted by its script")
    return whole(run) and told(system, run, asked_at)


def switched_off(environment: dict[str, str], system: SmallSystem, study: int) -> bool:
    """One run whose machine is switched off and on, alone since before its work began."""
    began = time.time()
    up.manage(environment, "shell", "-v", "0", "-c", ADD.format(study))
    until = time.monotonic() + PATIENCE_S
    while run_of(environment, study)["state"] != "running":
        if time.monotonic() > until:
            raise TimeoutError("the run was not taken")
        time.sleep(0.2)
    system.plug(connected=False)
    asked_at = system.wait_for("waits for this machine to be restarted", began, PATIENCE_S)
    system.switch_off_and_on()
    system.plug(connected=True)
    run = ended(environment, study)
    print(f"\nrun {run['outcome']} {run['detail']}: switched off and on, without a network before")
    before, after = (rate_of(run, f"{step} / drawing") for step in ("Before", "After"))
    kept = after > 0 and abs(before / after - 1) < NEAR
    print(f"pictures a second before and after{before:>10.1f} and {after:.1f}"
          f"{'' if kept else '   NOT KEPT'}")  # fmt: skip
    return whole(run) and told(system, run, asked_at) and kept


def rate_of(run: dict, stretch: str) -> float:
    found = (
        value for metric, where, value, _ in run["readings"]
        if (metric, where) == ("average_rate", stretch)
    )  # fmt: skip
    return next(found, 0.0)


def told(system: SmallSystem, run: dict, asked_at: float) -> bool:
    """The readings of a restart against what was heard; whether they are the same within ±."""
    reset = next(at for at in system.resets if at > asked_at)
    kernel = system.wait_for("Linux version", reset, 1.0)
    back = system.wait_for("Started noble-yardstick-agent.service", kernel, 1.0)
    heard = {
        "restart": back - asked_at, "restart_down": kernel - asked_at, "restart_up": back - kernel,
    }  # fmt: skip
    readings = {metric: (value, off) for metric, _, value, off in run["readings"]}
    good = True
    for metric, outside in heard.items():
        value, off = readings[metric]
        fits = abs(value - outside) <= off + HEARD_S
        good &= fits
        print(f"{metric:<32}{value:>8.2f} s ± {off:g}, heard {outside:>7.2f} s"
              f"{'' if fits else '   NOT THE SAME'}", flush=True)  # fmt: skip
    rest = readings.get("restart_rest")
    print(f"{'restart_rest':<32}" + (f"{rest[0]:>8.2f} s ± {rest[1]:g}" if rest else "    none"))
    return good


def whole(run: dict) -> bool:
    """Whether a run came to its end; what its journal holds is printed where it did not."""
    if run["outcome"] != "finished":
        print(*(json.dumps(entry)[:300] for entry in run["journal"]), sep="\n", flush=True)
    return run["outcome"] == "finished"


def ended(environment: dict[str, str], study: int) -> dict:
    """The newest run of a study, once it was read."""
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        run = run_of(environment, study)
        if run["state"] == "read":
            return run
        time.sleep(2)
    raise TimeoutError(f"the run is {run['state']} after {PATIENCE_S:g} s")


def run_of(environment: dict[str, str], study: int) -> dict:
    return asked(environment, RUN.replace("STUDY", str(study)))


def asked(environment: dict[str, str], code: str):
    return json.loads(up.manage(environment, "shell", "-v", "0", "-c", code).strip())


if __name__ == "__main__":
    try:
        sys.exit(main())
    except Missing as missing:
        sys.exit(str(missing))
