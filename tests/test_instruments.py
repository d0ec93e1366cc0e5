"""The gauge: meaning apart from bytes, and the simulated one on a real serial line."""

import itertools
import time

import pytest

from bathyx.instruments.gauge import Gauge, framed
from bathyx.instruments.line import LineError, ScriptedLine, SerialLine
from bathyx.instruments.sampler import Sampler
from bathyx.instruments.simulated import Rig, RigSettings, SimulatedGauge


def gauge(*dialogue):
    return Gauge(ScriptedLine(dialogue), clock=lambda: 7.0)


def test_a_reading_means_pressure_and_temperature():
    sample = gauge(("R", framed("R;+20.1340;kPa;+18.420;C"))).read(since=2.0)
    assert (sample.t_s, sample.gauge_kpa, sample.temp_c) == (5.0, 20.134, 18.42)


def test_a_gauge_set_to_psi_is_understood():
    assert gauge(("R", framed("R;+3.0;psi;+18;C"))).read().gauge_kpa == pytest.approx(20.684, abs=0.001)


@pytest.mark.parametrize(
    ("reply", "says"),
    [
        ("R;+20.1;kPa;+18;C*00", "damaged"),
        ("", "damaged"),
        (framed("E;unknown request"), "does not answer"),
        (framed("R;+20;furlong;+18;C"), "set it to"),
        (framed("R;much;kPa;+18;C"), "no numbers"),
        (framed("R;1;kPa"), "does not answer"),
    ],
)
def test_a_wrong_reply_says_what_to_check(reply, says):
    with pytest.raises(LineError, match=says):
        gauge(("R", reply)).read()


def test_a_port_that_is_not_there_says_so(tmp_path):
    with pytest.raises(LineError, match="plugged in"):
        SerialLine(str(tmp_path / "ttyNONE"))


def test_a_line_is_read_by_one_reader(simulated):
    """A second one would take bytes of the first one's replies: it is told that the port is busy."""
    first = simulated.gauge()
    with pytest.raises(LineError, match="not in use elsewhere"):
        simulated.gauge()
    assert first.identify().simulated
    first.close()
    simulated.gauge().close()


def test_a_closed_stand_in_is_not_looked_for_under_a_name_that_is_another_s_now():
    closed = SimulatedGauge(RigSettings(seed=1))
    closed.close()
    others = [SimulatedGauge(RigSettings(seed=2)) for _ in range(3)]
    assert closed.port in [other.port for other in others]
    with pytest.raises(LineError, match="was closed") as said:
        closed.gauge()
    assert said.value.lost
    for other in others:
        other.close()


def test_a_dialogue_out_of_order_is_noticed():
    with pytest.raises(LineError, match="expected"):
        gauge(("I", "x")).read()


@pytest.fixture
def simulated():
    made = SimulatedGauge(RigSettings(speed=600.0, leak_ml_min=30.0, volume_l=60.0, seed=3))
    yield made
    made.close()


def test_the_simulated_gauge_answers_on_a_real_serial_line(simulated):
    device = simulated.gauge()
    identity = device.identify()
    assert identity.simulated
    assert "SIM-1" in identity.words
    simulated.rig.fill_to(20.0)
    assert device.read().gauge_kpa == pytest.approx(20, abs=0.5)
    simulated.rig.vent()
    assert device.read().gauge_kpa == pytest.approx(0, abs=0.5)
    device.close()


def test_a_silent_line_is_an_error_not_a_wait(simulated):
    line = SerialLine(simulated.port, timeout_s=0.3)
    simulated._stop.set()
    simulated._thread.join()
    with pytest.raises(LineError, match="silent"):
        line.ask("R")
    line.close()


def test_the_sampler_reads_from_a_thread_and_stops(simulated):
    simulated.rig.fill_to(20.0)
    sampler = Sampler(simulated.gauge, every_s=0.02)
    drained, until = [], time.monotonic() + 120
    while len(drained) < 8 and time.monotonic() < until:
        time.sleep(0.1)
        drained += sampler.drain()
    sampler.stop()
    who, *samples = drained + sampler.drain()
    assert who.simulated
    assert len(samples) > 5
    assert all(b.t_s > a.t_s for a, b in itertools.pairwise(samples))
    assert samples[-1].gauge_kpa < samples[0].gauge_kpa
    assert sampler.drain() == []


def test_the_rig_leaks_what_it_was_told():
    """The ideal gas law by hand: 6 mL/min for an hour out of 60 L is 0.36 L at one atmosphere, 0.608 kPa."""
    rig = Rig(
        RigSettings(
            volume_l=60,
            leak_ml_min=6,
            drift_c_per_h=0,
            swing_c=0,
            fill_heat_c=0,
            pressure_noise_kpa=0,
            temp_noise_c=0,
            ambient_c=20,
            baro_rate_kpa_per_h=0,
        )
    )
    times = rig.schedule(20.0, 3600, 60)
    first, last = rig.read_at(times[0])[0], rig.read_at(times[-1])[0]
    # the leak falls with the gauge pressure, by about 1.5 % over the hour
    assert first - last == pytest.approx(0.36 / 60 * 101.325, rel=0.03)
