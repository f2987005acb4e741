"""What a rig finds out about itself, from made-up kernels and from the one that is here."""

import os
import subprocess
import sys

import pytest

from yardstick_agent.sampling import facts as found
from yardstick_core.match.facts import FACTS, fact_of, flat


def write(folder, name, text):
    file = folder / name
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(f"{text}\n")


def test_everything_found_is_described_in_the_core(tmp_path):
    display = {"width": 1280, "height": 800, "depth": 24, "vendor": "v", "release": 1,
               "scale": "1", "refresh_hz": 60.0, "manager": "m"}  # fmt: skip
    known = flat(found.facts(display, virtual=True, folder=tmp_path))
    groups = ("packages.", "programs.")
    of_a_run = {
        "script",
        "home",
        "session_bus",
        "sensors",
        "throttled",
    }  # found out by who plays it
    assert {key for key in known if not key.startswith(groups)} == set(FACTS) - of_a_run
    assert known["cores"] == os.cpu_count()
    assert known["memory_bytes"] > 2**28
    assert known["graphics"] == "none: software rendering"
    assert known["since_boot_s"] > 0
    assert "libc6" in {key.partition(".")[2] for key in known if key.startswith("packages.")}


def test_where_nothing_can_be_found_out_it_is_unknown(tmp_path):
    assert found.clock_policy(tmp_path) == "unknown"
    assert found.clock_mhz("scaling_max_freq", tmp_path) == "unknown"
    assert found.turbo(tmp_path) == "unknown"
    assert found.temperature_c(tmp_path) == "unknown"
    assert found.machine_kind(tmp_path / "proc", tmp_path) == "unknown"
    assert found.disk_kind(tmp_path / "none", tmp_path) == "unknown"
    assert found.file_system(tmp_path, tmp_path / "none") == "unknown"
    assert found.since_boot_s(tmp_path) == "unknown"
    assert found.facts()["display"] == "unknown"
    assert found.package_versions(["no-such-package-here"]) == {}


def test_clock_and_turbo_are_read_from_the_kernel(tmp_path):
    for core, policy in ((0, "powersave"), (1, "powersave")):
        write(tmp_path, f"devices/system/cpu/cpu{core}/cpufreq/scaling_governor", policy)
        write(tmp_path, f"devices/system/cpu/cpu{core}/cpufreq/scaling_max_freq", 3_600_000 + core)
    assert found.clock_policy(tmp_path) == "powersave"
    assert found.clock_mhz("scaling_max_freq", tmp_path) == pytest.approx(3600.001)
    write(tmp_path, "devices/system/cpu/intel_pstate/no_turbo", 1)
    assert found.turbo(tmp_path) == "off"
    write(tmp_path, "devices/system/cpu/cpu1/cpufreq/scaling_governor", "performance")
    assert found.clock_policy(tmp_path) == "powersave, performance"


def test_the_hottest_sensor_of_the_processor_counts(tmp_path):
    for number, kind, value in ((0, "acpitz", 41_000), (1, "x86_pkg_temp", 63_500)):
        write(tmp_path, f"class/thermal/thermal_zone{number}/type", kind)
        write(tmp_path, f"class/thermal/thermal_zone{number}/temp", value)
    write(tmp_path, "class/hwmon/hwmon0/name", "drive")
    write(tmp_path, "class/hwmon/hwmon0/temp1_input", 90_000)
    assert found.temperature_c(tmp_path) == 63.5


def test_a_graphics_card_is_named_with_its_driver(tmp_path):
    write(tmp_path, "class/drm/card0/device/vendor", "0x1234")
    write(tmp_path, "class/drm/card0/device/device", "0x5678")
    (tmp_path / "drivers/loomgpu").mkdir(parents=True)
    (tmp_path / "class/drm/card0/device/driver").symlink_to(tmp_path / "drivers/loomgpu")
    write(tmp_path, "module/loomgpu/version", "5.1")
    assert found.graphics(tmp_path) == "0x1234:0x5678"
    assert found.graphics_driver(tmp_path) == "loomgpu 5.1"


def test_the_file_system_is_that_of_the_nearest_mount(tmp_path):
    mounts = tmp_path / "mounts"
    mounts.write_text(f"a / ext4 rw 0 0\nb {tmp_path.resolve()} xfs rw 0 0\nc /pro proc rw 0 0\n")
    assert found.file_system(tmp_path, mounts) == "xfs"
    assert found.file_system(tmp_path.parent, mounts) == "ext4"


def test_what_takes_the_processor_is_named_with_its_share(tmp_path):
    command = tmp_path / "wool-indexer"
    command.symlink_to(sys.executable)
    busy = subprocess.Popen([str(command), "-c", "while True: pass"])
    try:
        programs = found.running_programs(set())
        named = {program["name"]: program["share"] for program in programs}
        assert named["wool-indexer"] > 1  # on a busy machine its share of it may be small
        assert "wool-indexer" not in {p["name"] for p in found.running_programs({busy.pid})}
    finally:
        busy.kill()
        busy.wait()
    key = "programs.wool-indexer"
    assert flat({"programs": programs})[key] == "running"
    assert fact_of(key).name == "running beside: wool-indexer"
