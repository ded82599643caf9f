"""Reads one sample from the analyser: patient, but never for more than a few seconds."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass

from openpail.craft.errors import CraftError
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import check_test
from openpail.instruments import wire
from openpail.instruments.analyser import lines
from openpail.instruments.wire import NoReading

TIMEOUT_S = 5.0
TRIES = 2


@dataclass(frozen=True, slots=True)
class Measured:
    """What the analyser measured, as a slip, and how many tries it took."""

    test: MilkTest
    tries: int


def read(address: str, sample: str, timeout_s: float = TIMEOUT_S) -> Measured:
    """Measure one sample.

    A broken record or a hang-up is tried once more within the time; a blank cup is not.

    Parameters: address host:port; sample, its name; timeout_s for everything together.
    Raises: NoReading.
    """
    if not address:
        raise NoReading("Nobody has said where the analyser answers: write it at Dairy.")
    ends = time.monotonic() + timeout_s
    name = re.sub(r"[^A-Za-z0-9-]", "-", sample) or "sample"
    last = NoReading("The analyser did not answer in time. Is it switched on and warm?")
    for tries in range(1, TRIES + 1):
        try:
            return Measured(_once(address, name, ends), tries)
        except _Blank:
            raise NoReading(
                "The analyser found no milk in the cup. Fill it, without bubbles, and read again."
            ) from None
        except (wire.BadRecord, EOFError) as error:
            last = NoReading(
                f"What the analyser sent cannot be trusted: {error}. Nothing was kept; read again."
            )
        except (TimeoutError, OSError) as error:
            last = _unreachable(error, address)
        if time.monotonic() >= ends:
            break
    raise last


def _unreachable(error: OSError, address: str) -> NoReading:
    if isinstance(error, TimeoutError):
        return NoReading("The analyser did not answer in time. Is it switched on and warm?")
    return NoReading(f"There is no analyser at {address}. Look at its cable, or at Dairy.")


class _Blank(Exception):
    pass


def _once(address: str, sample: str, ends: float) -> MilkTest:
    with wire.connect(address, ends) as device:
        stream = wire.Lines(device, ends)
        stream.say(f"HELLO {lines.VERSION}")
        while True:
            word, rest = _split(stream.hear())
            if word == "READY":
                break
            if word != "WAIT":
                raise wire.BadRecord(f"it greeted with “{word}”")
            time.sleep(min(_seconds(rest), wire.left(ends)))
            stream.say(f"HELLO {lines.VERSION}")
        stream.say(f"MEASURE {sample}")
        while True:
            line = stream.hear()
            word, rest = _split(line)
            if word == "BUSY":
                continue
            if word == "ERROR":
                raise NoReading(f"The analyser says: {rest[:80] or 'an error'}.")
            return _slip(lines.parse(line, sample))


def _split(line: str) -> tuple[str, str]:
    word, _, rest = line.partition(" ")
    return word, rest


def _seconds(text: str) -> float:
    try:
        return max(0.0, float(text))
    except ValueError:
        raise wire.BadRecord(f"“{text}” is no length of time") from None


def _slip(values: dict[str, float] | None) -> MilkTest:
    if values is None:
        raise _Blank
    test = MilkTest(
        fat_pct=values.get("fat"),
        protein_pct=values.get("protein"),
        protein_kind="crude" if "protein" in values else "unknown",
        lactose_pct=values.get("lactose"),
        snf_pct=values.get("snf"),
        density_g_ml=values.get("density"),
        density_c=20.0 if "density" in values else None,
        freezing_point_c=values.get("fp"),
    )
    if test == MilkTest():
        raise wire.BadRecord("it holds no value")
    try:
        check_test(test)
    except CraftError as error:
        raise wire.BadRecord(f"no milk is so. {error.words.rstrip('.')}") from error
    return test
