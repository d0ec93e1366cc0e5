"""Is each fitting on a face that this tank has, with its whole hole in the metal?"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from shapely.geometry import Point

from bathyx.core.findings.finding import Finding, Remedy, with_search
from bathyx.core.findings.placing import named, nearest_spot, roof, within
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A face that is gone moves the fitting to the top; a hole over the edge is moved in."""
    for i, fitting in enumerate(job.inside.fittings):
        face = r.shell.by_id.get(fitting.face)
        if face is None:
            top, low, high = roof(r)
            middle = within(low, high, 0.5, 0.5)
            moved = fitting.model_copy(update={"face": top, "u_mm": middle[0], "v_mm": middle[1]})
            middle = nearest_spot(job, r, moved, fitting.id) or middle
            yield Finding(
                "fitting.face",
                "stop",
                f"{named(fitting).capitalize()} sits on {fitting.face}, which this tank has not",
                "a fitting needs a face",
                "the shell",
                "inside",
                f"fitting:{fitting.id}",
                fitting.face,
                ", ".join(r.shell.by_id),
                Remedy(
                    "Move it to the top",
                    (
                        (f"inside.fittings.{i}.face", top),
                        (f"inside.fittings.{i}.u_mm", middle[0]),
                        (f"inside.fittings.{i}.v_mm", middle[1]),
                    ),
                ),
            )
            continue
        outline = face.shape
        spot_on_face = Point(*face.wrapped(fitting.u_mm, fitting.v_mm))
        if outline.contains(spot_on_face) and outline.boundary.distance(spot_on_face) >= fitting.hole_mm / 2:
            continue
        said = Finding(
            "fitting.outside",
            "stop",
            f"The hole of {named(fitting)} runs over the edge of {face.id}",
            "the whole hole lies in the face",
            "the shell",
            "inside",
            f"fitting:{fitting.id}",
            f"{fitting.u_mm:.0f}, {mm(fitting.v_mm)}",
            f"inside {face.id}",
        )
        yield with_search(said, partial(_inward, job, r, i))


def _inward(job: Job, r: Results, index: int) -> Remedy | None:
    fitting = job.inside.fittings[index]
    spot = nearest_spot(job, r, fitting, fitting.id)
    if spot is None:
        return None
    return Remedy(
        f"Move it to {spot[0]:.0f}, {spot[1]:.0f}",
        ((f"inside.fittings.{index}.u_mm", spot[0]), (f"inside.fittings.{index}.v_mm", spot[1])),
    )
