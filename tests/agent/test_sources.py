"""Each source on a made-up tree of the kernel's files, and on the machine as it is."""

import socket
import time
import types

import pytest
from made_up_machine import MadeUpMachine

from yardstick_agent.fitness import unfit
from yardstick_agent.sampling.sampler import Sampler
from yardstick_agent.sampling.sources import Roots, found_sources, sensors_in_words
from yardstick_agent.sampling.sources.energy import BatteryEnergy, ProcessorEnergy
from yardstick_agent.sampling.sources.graphics_device import GraphicsDevice
from yardstick_agent.sampling.sources.graphics_library import GraphicsLibrary
from yardstick_agent.sampling.sources.graphics_use import GraphicsUse
from yardstick_agent.sampling.sources.heat import Clocks, Heat, Throttling
from yardstick_agent.sampling.sources.network import Network

S = 1_000_000_000


@pytest.fixture
def machine(tmp_path):
    return MadeUpMachine(tmp_path)


def read(source, at=0, subject=()):
    return dict(source.sample(at, list(subject)))


def test_a_bare_machine_has_no_source_and_says_so(machine):
    assert found_sources(machine.roots) == []
    assert sensors_in_words([], Roots()) == "processor, memory and disk only"


def test_what_a_stand_in_tells_is_called_simulated(machine):
    machine.meter("intel-rapl:0", "package-0", 0)
    words = sensors_in_words(found_sources(machine.roots), machine.roots)
    assert words == "simulated: energy of the processor"


def test_joules_are_those_of_all_packages_and_of_their_memory(machine):
    machine.meter("intel-rapl:0", "package-0", 1_000_000)
    machine.meter("intel-rapl:1", "package-1", 5_000_000)
    machine.meter("intel-rapl:0:0", "core", 700_000)
    machine.meter("intel-rapl:0:1", "dram", 100_000)
    machine.meter("intel-rapl-mmio:0", "package-0", 9_000_000)
    source = ProcessorEnergy.found(machine.roots)
    machine.meter("intel-rapl:0", "package-0", 3_000_000)
    machine.meter("intel-rapl:1", "package-1", 5_500_000)
    machine.meter("intel-rapl:0:1", "dram", 350_000)
    machine.meter("intel-rapl-mmio:0", "package-0", 90_000_000)
    # The cores' part lies within the package's, and the other door shows the same meter.
    assert read(source) == {
        "energy.processor_joules": pytest.approx(2.5),
        "energy.memory_joules": pytest.approx(0.25),
    }


def test_a_meter_that_begins_anew_loses_nothing(machine):
    machine.meter("intel-rapl:0", "package-0", 9_000_000, wraps_at=10_000_000)
    source = ProcessorEnergy.found(machine.roots)
    machine.meter("intel-rapl:0", "package-0", 2_000_000, wraps_at=10_000_000)
    assert read(source)["energy.processor_joules"] == pytest.approx(3)


def test_meters_that_may_not_be_read_are_no_source(machine):
    machine.tell("class/powercap/intel-rapl:0/name", "package-0")
    assert ProcessorEnergy.found(machine.roots) is None


def test_a_battery_gives_the_power_it_tells_while_it_is_emptied(machine):
    machine.battery("Discharging", power_now=12_000_000)
    source = BatteryEnergy.found(machine.roots)
    assert read(source, 0)["energy.battery_joules"] == 0
    machine.battery("Discharging", power_now=18_000_000)
    assert read(source, 2 * S)["energy.battery_joules"] == pytest.approx(30)
    machine.battery("Charging", power_now=18_000_000)
    assert read(source, 3 * S) == {}
    machine.battery("Discharging", power_now=10_000_000)
    assert read(source, 10 * S)["energy.battery_joules"] == pytest.approx(30)  # not known between
    assert read(source, 11 * S)["energy.battery_joules"] == pytest.approx(40)


def test_a_battery_may_tell_current_and_voltage_instead(machine):
    machine.battery("Discharging", current_now=1_000_000, voltage_now=11_000_000)
    source = BatteryEnergy.found(machine.roots)
    read(source, 0)
    assert read(source, S)["energy.battery_joules"] == pytest.approx(11)


def test_the_battery_of_a_mouse_is_none_of_the_machine(machine):
    machine.battery("Discharging", power_now=1)
    machine.tell("class/power_supply/BAT0/scope", "Device")
    assert BatteryEnergy.found(machine.roots) is None


def test_heat_is_that_of_the_hottest_sensor_that_makes_sense(machine):
    machine.tell("class/thermal/thermal_zone0/type", "x86_pkg_temp")
    machine.tell("class/thermal/thermal_zone0/temp", 61_000)
    machine.tell("class/thermal/thermal_zone1/type", "iwlwifi")
    machine.tell("class/thermal/thermal_zone1/temp", 90_000)
    machine.tell("class/hwmon/hwmon2/name", "k10temp")
    machine.tell("class/hwmon/hwmon2/temp1_input", 64_500)
    machine.tell("class/hwmon/hwmon2/temp2_input", -128_000)
    machine.tell("class/hwmon/hwmon3/name", "amdgpu")
    machine.tell("class/hwmon/hwmon3/temp1_input", 55_000)
    source = Heat.found(machine.roots)
    assert read(source) == {"heat.processor_celsius": 64.5, "heat.graphics_celsius": 55.0}


def test_clocks_are_the_mean_of_all_cores_and_throttling_their_sum(machine):
    for core, (clock, throttled) in enumerate(((3_000_000, 4), (2_000_000, 1))):
        cpu = f"devices/system/cpu/cpu{core}"
        machine.tell(f"{cpu}/cpufreq/scaling_cur_freq", clock)
        machine.tell(f"{cpu}/thermal_throttle/core_throttle_count", throttled)
    assert read(Clocks.found(machine.roots)) == {"clock.mean_mhz": 2500.0}
    source = Throttling.found(machine.roots)
    assert read(source) == {"heat.throttled_count": 5.0}
    machine.tell("devices/system/cpu/cpu1/thermal_throttle/core_throttle_count", 8)
    assert source.grown() == 7


def test_a_client_of_the_graphics_card_counts_once_however_often_it_is_open(machine):
    machine.tell("class/drm/card0/device/vendor", "0x1002")
    source = GraphicsUse.found(machine.roots)
    told = {
        "drm_driver": "amdgpu", "drm_pdev": "0000:03:00.0", "drm_client_id": "7",
        "drm_engine_gfx": "2500000000 ns", "drm_engine_capacity_gfx": "1",
        "drm_engine_compute": "500000000 ns",
        "drm_resident_vram": "2048 KiB", "drm_total_vram": "9999 KiB",
        "drm_memory_gtt": "1 MiB", "drm_shared_vram": "1 KiB",
    }  # fmt: skip
    machine.opened(10, 3, "/dev/dri/renderD128", **told)
    machine.opened(10, 4, "/dev/dri/renderD128", **told)
    machine.opened(11, 9, "/dev/dri/renderD128", **told)
    machine.opened(10, 5, "/tmp/other", drm_client_id="8", drm_engine_gfx="9 ns")
    machine.opened(
        11, 6, "/dev/dri/card0", drm_pdev="0000:03:00.0", drm_client_id="9",
        drm_engine_gfx="500000000 ns", drm_resident_vram="1 MiB",
    )  # fmt: skip
    assert read(source, 0, [10, 11]) == {
        "subject.graphics.gfx_seconds": pytest.approx(3.0),
        "subject.graphics.compute_seconds": pytest.approx(0.5),
        "subject.graphics_dedicated": 3 * 2**20,
        "subject.graphics_shared": 2**20,
    }


def test_engine_time_of_a_process_that_ended_stays_counted_and_its_memory_does_not(machine):
    machine.tell("class/drm/card0/device/vendor", "0x1002")
    source = GraphicsUse.found(machine.roots)
    machine.opened(
        10, 3, "/dev/dri/card0", drm_pdev="p", drm_client_id="1",
        drm_engine_render="1000000000 ns", drm_resident_system0="4 MiB",
    )  # fmt: skip
    first = read(source, 0, [10])
    assert first["subject.graphics_shared"] == 4 * 2**20
    assert first["subject.graphics_dedicated"] == 0
    after = read(source, S, [])
    assert after["subject.graphics.render_seconds"] == 1
    assert after["subject.graphics_shared"] == 0


def test_a_driver_that_counts_cycles_tells_seconds_by_its_share_of_them(machine):
    machine.tell("class/drm/card0/device/vendor", "0x8086")
    source = GraphicsUse.found(machine.roots)

    def told(used, passed):
        machine.opened(
            10, 3, "/dev/dri/card0", drm_pdev="p", drm_client_id="1",
            drm_cycles_rcs=str(used), drm_total_cycles_rcs=str(passed),
        )  # fmt: skip

    told(1000, 10_000)
    assert read(source, 0, [10])["subject.graphics.rcs_seconds"] == 0
    told(1250, 11_000)
    assert read(source, S, [10])["subject.graphics.rcs_seconds"] == pytest.approx(0.25)
    told(1250, 11_000)
    assert read(source, 2 * S, [10])["subject.graphics.rcs_seconds"] == pytest.approx(0.25)


def test_a_card_tells_how_busy_it_is_and_its_watts_become_joules(machine):
    device = "class/drm/card0/device"
    machine.tell(f"{device}/gpu_busy_percent", 40)
    machine.tell(f"{device}/mem_info_vram_used", 1 << 30)
    machine.tell(f"{device}/hwmon/hwmon4/power1_average", 20_000_000)
    source = GraphicsDevice.found(machine.roots)
    assert read(source, 0) == {
        "graphics.busy_percent": 40, "graphics.memory_used": 1 << 30, "energy.graphics_joules": 0,
    }  # fmt: skip
    machine.tell(f"{device}/hwmon/hwmon4/power1_average", 40_000_000)
    assert read(source, S)["energy.graphics_joules"] == pytest.approx(30)


def test_a_card_that_tells_nothing_is_no_source(machine):
    machine.tell("class/drm/card0/device/vendor", "0x1234")
    assert GraphicsDevice.found(machine.roots) is None
    assert read(GraphicsUse.found(machine.roots), 0, [1]) == {}


class MadeUpLibrary(types.ModuleType):
    """A binding of the management library: one card knows all, one knows little."""

    NVML_TEMPERATURE_GPU = 0

    class NVMLError(Exception):
        pass

    def __init__(self):
        super().__init__("library")
        self.joules = {"a": 5_000}

    def nvmlInit(self):
        pass

    def nvmlDeviceGetCount(self):
        return 2

    def nvmlDeviceGetHandleByIndex(self, place):
        return "ab"[place]

    def _only_first(self, card, answer):
        if card != "a":
            raise self.NVMLError("not supported")
        return answer

    def nvmlDeviceGetUtilizationRates(self, card):
        return self._only_first(card, types.SimpleNamespace(gpu=37, memory=5))

    def nvmlDeviceGetMemoryInfo(self, card):
        return types.SimpleNamespace(used=100 if card == "a" else 20)

    def nvmlDeviceGetTemperature(self, card, sensor):
        return {"a": 61, "b": 48}[card]

    def nvmlDeviceGetTotalEnergyConsumption(self, card):
        return self._only_first(card, self.joules["a"])

    def nvmlDeviceGetGraphicsRunningProcesses(self, card):
        return self._only_first(card, [types.SimpleNamespace(pid=10, usedGpuMemory=64)])

    def nvmlDeviceGetComputeRunningProcesses(self, card):
        both = [types.SimpleNamespace(pid=10, usedGpuMemory=64)]
        return self._only_first(card, [*both, types.SimpleNamespace(pid=99, usedGpuMemory=7)])


def test_the_makers_library_tells_of_all_cards_that_answer():
    library = MadeUpLibrary()
    source = GraphicsLibrary.through(library)
    assert read(source, 0, [10]) == {
        "graphics.busy_percent": 37, "graphics.memory_used": 120, "heat.graphics_celsius": 61,
        "energy.graphics_joules": 0, "subject.graphics_dedicated": 64,
    }  # fmt: skip
    library.joules["a"] += 2_500
    assert read(source, S, [10])["energy.graphics_joules"] == 2.5


def test_a_library_that_does_not_load_is_no_source():
    library = MadeUpLibrary()

    def fail():
        raise library.NVMLError("driver not loaded")

    library.nvmlInit = fail
    assert GraphicsLibrary.through(library) is None


def test_bytes_over_the_network_are_those_of_the_processes_own_connections():
    import os

    source = Network.found(Roots())
    if source is None:
        pytest.skip("this kernel does not tell of its connections")
    with socket.create_server(("127.0.0.1", 0)) as listening:
        one = socket.create_connection(listening.getsockname())
        other, _ = listening.accept()
        with one, other:
            read(source, 0, [os.getpid()])
            before = read(source, 0, [os.getpid()])
            one.sendall(b"x" * 300_000)
            got = 0
            while got < 300_000:
                got += len(other.recv(65536))
            after = read(source, S, [os.getpid()])
    # Both ends are ours: what one sends the other receives.
    assert after["subject.bytes_received"] - before["subject.bytes_received"] == 300_000
    assert after["subject.bytes_sent"] - before["subject.bytes_sent"] == pytest.approx(
        300_000, abs=1
    )
    kept = read(source, 2 * S, [])
    assert kept["subject.bytes_received"] == after["subject.bytes_received"]


def battery_at(machine, percent):
    machine.battery("Discharging", power_now=1, capacity=percent)


def test_a_rig_is_unfit_with_a_low_battery_a_hot_processor_or_no_room(
    machine, tmp_path, monkeypatch
):
    assert unfit(tmp_path, machine.roots) == ""
    battery_at(machine, 12)
    assert "the battery is at 12 %" in unfit(tmp_path, machine.roots)
    battery_at(machine, 60)
    machine.tell("class/thermal/thermal_zone0/type", "x86_pkg_temp")
    machine.tell("class/thermal/thermal_zone0/temp", 99_000)
    assert "the processor is at 99 °C" in unfit(tmp_path, machine.roots)
    machine.tell("class/thermal/thermal_zone0/temp", 60_000)
    assert unfit(tmp_path, machine.roots) == ""
    monkeypatch.setattr("yardstick_agent.fitness.LEAST_DISK_BYTES", 1 << 60)
    assert "are left where records are kept" in unfit(tmp_path, machine.roots)
    assert "cannot be used" in unfit(tmp_path / "gone", machine.roots)


def test_the_sampler_reads_each_source_at_its_own_beat(machine):
    machine.meter("intel-rapl:0", "package-0", 0)
    machine.tell("class/thermal/thermal_zone0/type", "cpu-thermal")
    machine.tell("class/thermal/thermal_zone0/temp", 50_000)
    kept = []
    sampler = Sampler(
        lambda name, at, value: kept.append(name), lambda: [], found_sources(machine.roots)
    )
    for beat in range(20):
        sampler.sample(beat)
    assert kept.count("energy.processor_joules") == 10
    assert kept.count("heat.processor_celsius") == 1


def test_what_adds_up_is_read_once_more_when_the_sampler_stops(machine):
    """Else a short run would end before the second look, and have no reading of it."""
    machine.meter("intel-rapl:0", "package-0", 0)
    machine.tell("class/thermal/thermal_zone0/type", "cpu-thermal")
    machine.tell("class/thermal/thermal_zone0/temp", 50_000)
    machine.tell("devices/system/cpu/cpu0/thermal_throttle/core_throttle_count", 3)
    kept = []
    sampler = Sampler(
        lambda name, at, value: kept.append((name, at)), lambda: [], found_sources(machine.roots)
    )
    sampler.start()
    started = time.monotonic()
    while not kept and time.monotonic() - started < 10:
        time.sleep(0.005)
    sampler.stop()
    names = [name for name, _ in kept]
    assert names.count("heat.throttled_count") == 2
    assert names.count("heat.processor_celsius") == 1
    last = max(at for _, at in kept)
    assert [at for name, at in kept if name == "heat.throttled_count"][-1] == last
