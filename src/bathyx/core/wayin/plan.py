"""Whether a tank gets to its seat, and out again: whole, or panel by panel where it is built in."""

from __future__ import annotations

from dataclasses import replace

from bathyx.core.evaluate import Evaluation
from bathyx.core.units import Said, mm
from bathyx.core.wayin.built import scene_of
from bathyx.core.wayin.panels import panels_in
from bathyx.core.wayin.told import told_out
from bathyx.core.wayin.whole import Heard, WayFound, part_for_proofs, refuse_bad_seat, searched


def way_in(
    e: Evaluation, seconds: float = 20.0, seed: int = 1, heard: Heard = lambda share: True, *, out: bool = False
) -> WayFound:
    """Whether the tank of a job gets to its seat.

    Args:
        e: the evaluated job; its space has a way in.
        seconds: to look.
        seed: of what is tried: what each search may look is counted, so equal seeds give equal paths where the time suffices.
        heard: called with the share of the time that is gone; False stops.
        out: whether it comes out again for repair, with what was put on or put in after it; the path then begins at the seat.

    Raises:
        Refusal: without an opening, for one outside the space, or a tank that stands in something where it sits.
    """
    if e.job.tank.built_in:
        return panels_in(e, seconds, seed, heard)
    scene, ways = scene_of(e, out=out)
    refuse_bad_seat(scene, e)
    return searched(e, scene, ways, lambda: part_for_proofs(e), seconds, seed, heard, out=out)


def way_out(
    e: Evaluation, found: WayFound, seconds: float = 20.0, seed: int = 1, heard: Heard = lambda share: True
) -> WayFound:
    """Whether the tank comes out again for repair: by its way in, backwards, unless something is put on or in after it.

    Args:
        e: the evaluated job.
        found: its way in.
        seconds: to look, where there is to look.
        seed: of what is tried.
        heard: as for `way_in`.
    """
    way = e.job.space.way_in
    names = {f.id for f in e.job.inside.fittings if f.out_mm > 0} | {t.name for t in e.job.space.things}
    more = way is not None and names & {*way.after, *way.later}
    if more or found.verdict != "goes_in" or found.tightest is None:
        return way_in(e, seconds, seed, heard, out=True)
    back = found.path[::-1]
    least = replace(found.tightest, leg=len(back) - 2 - found.tightest.leg, share=1.0 - found.tightest.share)
    said = f"comes out as it went in, backwards, by {found.opening}; tightest {mm(least.mm, 1)} to {least.what}"
    return replace(found, reason=Said(said), path=back, moves=told_out(list(back)), tightest=least, searched_s=0.0)
