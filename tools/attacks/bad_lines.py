"""Bad gauge lines, ten minutes each in fast time: what is taken must be true, what is wrong must be said, and no verdict may lie.

python -m tools.attacks.bad_lines
"""

from __future__ import annotations

import itertools
import math
import random
import sys
from collections.abc import Callable
from dataclasses import dataclass, field

from bathyx.core.build.trial import terms_for
from bathyx.core.evaluate import evaluate
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.hold import judge
from bathyx.core.proving.plan import PlannedTest
from bathyx.demo import jobs
from bathyx.instruments.gauge import Gauge, framed
from bathyx.instruments.line import LineError, SerialLine
from bathyx.instruments.sampler import Sampler
from bathyx.instruments.shop_gauges import shop_gauges

SECONDS = 600
LEAK_ML_MIN = 60.0


@dataclass
class World:
    """A tank on a gauge, on a clock of its own. Pressure falls by its leak; the line does what `kind` says."""

    leak_ml_min: float
    volume_l: float
    seed: int = 1
    t: float = 0.0
    model: str = "G-20"
    random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self.random = random.Random(self.seed)

    def kpa(self) -> float:
        """The truth now."""
        rate = self.leak_ml_min / 1000 / 60 / self.volume_l * 101.325 / 20.0
        return 21.0 * math.exp(-rate * self.t)

    def reply(self, request: str) -> bytes:
        """What a sound gauge sends."""
        if request == "I":
            return framed(f"I;Fenwright;{self.model};0042").encode() + b"\r\n"
        noise = self.random.gauss(0, 0.002)
        return framed(f"R;{self.kpa() + noise:+.4f};kPa;{18.0 + self.random.gauss(0, 0.004):+.3f};C").encode() + b"\r\n"


class Port:
    """What a serial driver gives, with a fault of its own."""

    def __init__(self, world: World, fault: Callable[[World, str, bytes], bytes]) -> None:
        self.world, self.fault, self.buffer = world, fault, b""

    def reset_input_buffer(self) -> None:
        """Forget what came."""
        self.buffer = b""

    def write(self, data: bytes) -> int:
        """Ask; the fault happens to the reply."""
        request = data.decode().strip()
        self.buffer += self.fault(self.world, request, self.world.reply(request))
        return len(data)

    def read_until(self, end: bytes, size: int) -> bytes:
        """Up to `end`, `size`, or what there is when the time is out."""
        at = self.buffer.find(end)
        cut = min(len(self.buffer) if at < 0 else at + len(end), size)
        found, self.buffer = self.buffer[:cut], self.buffer[cut:]
        return found

    def close(self) -> None:
        """Nothing."""


def _away(since: float, until: float, error: Exception) -> Callable[[World, str, bytes], bytes]:
    def fault(w: World, _request: str, reply: bytes) -> bytes:
        if since <= w.t < until:
            raise error
        return reply

    return fault


def _now_and_then(share: float, change: Callable[[World, bytes], bytes]) -> Callable[[World, str, bytes], bytes]:
    return lambda w, request, reply: change(w, reply) if request == "R" and w.random.random() < share else reply


def _one_bit(w: World, reply: bytes) -> bytes:
    k = w.random.randrange(len(reply) - 2)
    return reply[:k] + bytes([reply[k] ^ (1 << w.random.randrange(8))]) + reply[k + 1 :]


def _rubbish(w: World, reply: bytes) -> bytes:
    k = w.random.randrange(1, len(reply) - 4)
    return reply[:k] + bytes(w.random.randrange(128, 256) for _ in range(3)) + reply[k + 3 :]


def _body(text: str) -> Callable[[World, bytes], bytes]:
    return lambda w, _reply: framed(text.format(kpa=w.kpa())).encode("utf-8", "replace") + b"\r\n"


def _lower(w: World, request: str, reply: bytes) -> bytes:
    body, _, check = reply.rpartition(b"*")
    return body + b"*" + check.lower()


def _echo(w: World, request: str, reply: bytes) -> bytes:
    return f"{request}\r\n".encode() + reply


class _Late:
    """Each answer is that of the question before."""

    def __init__(self) -> None:
        self.before = b""

    def __call__(self, _w: World, _request: str, reply: bytes) -> bytes:
        found, self.before = self.before, reply
        return found


def _swapped(w: World, request: str, reply: bytes) -> bytes:
    if 200 <= w.t < 260:
        raise OSError(5, "Input/output error")
    if w.t >= 260:
        w.model = "G-99"
        return framed("I;Fenwright;G-99;0777" if request == "I" else "R;+21.0;kPa;+18;C").encode() + b"\r\n"
    return reply


def _unframed(w: World, request: str, reply: bytes) -> bytes:
    return reply if request == "I" else reply.rpartition(b"*")[0] + b"\r\n"


GOOD = (
    "clean",
    "lower-case checksum",
    "echo of a two-wire adapter",
    "echo and lower case",
    "empty lines before",
    "zero bytes before",
)
KINDS: dict[str, Callable[[], Callable[[World, str, bytes], bytes]]] = {
    "clean": lambda: lambda w, q, r: r,
    "lower-case checksum": lambda: _lower,
    "echo of a two-wire adapter": lambda: _echo,
    "echo and lower case": lambda: lambda w, q, r: _echo(w, q, _lower(w, q, r)),
    "empty lines before": lambda: lambda w, q, r: b"\r\n\r\n" + r,
    "zero bytes before": lambda: lambda w, q, r: b"\0\0\0" + r,
    "unplugged for good": lambda: _away(200, 1e9, OSError(5, "Input/output error")),
    "unplugged for a minute": lambda: _away(200, 260, OSError(19, "No such device")),
    "unplugged, driver at a loss": lambda: _away(
        200, 260, TypeError("'NoneType' object cannot be interpreted as an integer")
    ),
    "unplugged at once and back": lambda: _away(3, 6, ValueError("read of closed file")),
    "comes and goes": lambda: lambda w, q, r: _away(0, 1e9, OSError(5, "EIO"))(w, q, r) if int(w.t) % 50 > 40 else r,
    "writing times out": lambda: _away(100, 130, TimeoutError("Write timeout")),
    "silent for good": lambda: lambda w, q, r: r if w.t < 200 else b"",
    "silent for a minute": lambda: lambda w, q, r: b"" if 200 <= w.t < 260 else r,
    "silent one time in five": lambda: _now_and_then(0.2, lambda w, r: b""),
    "half a reply and no end": lambda: _now_and_then(0.3, lambda w, r: r[: len(r) // 2]),
    "cut short with an end": lambda: _now_and_then(0.3, lambda w, r: r[: len(r) // 2] + b"\r\n"),
    "one bit turned": lambda: _now_and_then(0.5, _one_bit),
    "noise above 0x7f": lambda: _now_and_then(0.5, _rubbish),
    "nothing but noise": lambda: lambda w, q, r: r if q == "I" else bytes(w.random.randrange(256) for _ in range(60)),
    "a stream without end": lambda: lambda w, q, r: r if w.t < 100 else b"\xaa" * 5000,
    "the wrong answer": lambda: _now_and_then(0.4, lambda w, r: w.reply("I")),
    "an unknown unit": lambda: _now_and_then(0.3, _body("R;+0.2;atm;+18;C")),
    "NaN": lambda: _now_and_then(0.3, _body("R;nan;kPa;+18;C")),
    "infinity": lambda: _now_and_then(0.3, _body("R;1e400;kPa;+18;C")),
    "an underscore in a number": lambda: _now_and_then(0.3, _body("R;2_1.0;kPa;+18;C")),
    "figures of another script": lambda: _now_and_then(0.3, _body("R;٢١;kPa;+18;C")),
    "a decimal comma": lambda: _now_and_then(0.3, _body("R;21,0;kPa;+18;C")),
    "two replies in one": lambda: _now_and_then(0.3, lambda w, r: r.strip() + r),
    "no checksum": lambda: _unframed,
    "an endless reply": lambda: _now_and_then(0.3, lambda w, r: b"R;" + b"9" * 4000 + b"\r\n"),
    "ends in a return only": lambda: lambda w, q, r: r if q == "I" else r.replace(b"\n", b""),
    "another gauge after the plug was out": lambda: _swapped,
    "only its echo": lambda: lambda w, q, r: r if w.t < 100 else f"{q}\r\n".encode() * 30,
    "always one answer late": _Late,
}


@dataclass(frozen=True)
class Outcome:
    """What came of a line."""

    taken: int
    wrong: int
    said: int
    longest_gap_s: float
    verdict: str


def play(kind: str, leak_ml_min: float, seconds: int = SECONDS) -> Outcome:
    """Ten minutes of one kind of line, a reading a second, and the verdict on what was taken."""
    e = evaluate(jobs.trolley())
    test = PlannedTest(method="decay", test_kpa=21.0, hold_min=seconds / 60, leak_limit_ml_min=20.0)
    sensors = next(k for name, k in shop_gauges_shipped().items() if "fine digital, 1 Pa" in name)
    terms = terms_for(e, test, gauge=sensors, identity="test", begun_baro_kpa=101.3)
    world, fault = World(leak_ml_min, terms.volume_l), KINDS[kind]()
    sampler = Sampler(
        lambda: Gauge(SerialLine("port", 0.01, lambda _p, _t: Port(world, fault)), lambda: world.t), start=False
    )
    samples: list[Sample] = []
    wrong = said = 0
    for second in range(seconds + 1):
        world.t = float(second)
        sampler.step()
        for came in sampler.drain():
            if isinstance(came, LineError):
                said += 1
            elif isinstance(came, Sample):
                wrong += abs(came.gauge_kpa - world.kpa()) > 0.05
                samples.append(came)
    times = [0.0, *(s.t_s for s in samples), float(seconds)]
    gap = max(b - a for a, b in itertools.pairwise(times))
    held = samples[-1].t_s if samples else 0.0
    return Outcome(len(samples), wrong, said, gap, judge(terms, samples, 0, held).verdict)


def shop_gauges_shipped():
    """The kinds that ship."""
    from pathlib import Path

    return shop_gauges(Path("/nonexistent"))


def main() -> int:
    """Play every kind with a leaking and with a tight tank."""
    bad = 0
    print(f"{'line':40}{'taken':>7}{'wrong':>7}{'said':>7}{'gap s':>7}   leaking tank    tight tank")
    for kind in KINDS:
        leaking, tight = play(kind, LEAK_ML_MIN), play(kind, 0.0)
        lies = leaking.verdict == "tight" or tight.verdict == "leaks" or leaking.wrong or tight.wrong
        mute = kind not in GOOD and not leaking.said
        bad += bool(lies or mute)
        print(
            f"{kind:40}{leaking.taken:7}{leaking.wrong:7}{leaking.said:7}{leaking.longest_gap_s:7.0f}   "
            f"{leaking.verdict:15} {tight.verdict:12}{'  <-- BAD' if lies or mute else ''}"
        )
    print(f"{len(KINDS)} kinds of line, {bad} of them taken for what they are not or passed over in silence")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
