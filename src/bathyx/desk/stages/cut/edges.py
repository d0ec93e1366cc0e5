"""One edge on the card of Cut: bent, welded with a joint of its own, or its seam moved onto a flat."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.making import making_of
from bathyx.core.sheet.makeup.joints import JOINTS, OVER
from bathyx.core.sheet.makeup.roles import EdgeRole, may_bend
from bathyx.core.sheet.makeup.screws import GASKETS
from bathyx.core.units import Said, worded
from bathyx.desk.bench import Bench
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import Choice, Field, Tick, words
from bathyx.draft.joint_view import joint_view

NEEDS = {
    "past_mm": ("tee", "set in", "tabs", "bolted"),
    "flange_mm": ("flanged", "set in", "edge flange"),
    "gap_mm": ("corner", "butt", "backed", "bolted"),
    "bevel": ("corner", "lap", "tee"),
}
STARTS: dict[str, dict[str, float]] = {
    "tee": {"past_mm": 12.0},
    "flanged": {"flange_mm": 25.0},
    "set in": {"flange_mm": 25.0},
    "edge flange": {"flange_mm": 25.0},
    "tabs": {"past_mm": 12.0},
    "backed": {"gap_mm": 3.0},
    "bolted": {"past_mm": 30.0, "gap_mm": 3.0},
}
MOVED_MM, SECTION_HIGH = 50.0, 170


class EdgeField(Field):
    """A length of the edge in hand; of a bolted lid all its edges have it."""

    def put(self, value: Any) -> str:
        """Take a value; why not, where it cannot be."""
        edges = self.bench.job.makeup.edges
        k, name = int(self.path.split(".")[2]), self.path.rpartition(".")[2]
        if edges[k].joint != "bolted":
            return super().put(value)
        lid = edges[k].over
        change = [e.model_dump() | ({name: value} if e.joint == "bolted" and e.over == lid else {}) for e in edges]
        return self.bench.try_edit({"makeup.edges": change}, self.label.lower())


class EdgeCard(QWidget):
    """What becomes of the edge that was picked, in a view or in the list."""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__()
        self.bench, self.name = bench, ""
        self.section = Canvas(theme, "joint")
        self.section.setFixedHeight(SECTION_HIGH)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.edge = Choice(bench, "Edge", "edge", [], take=self._chosen, read=lambda: self.name)
        self.role = Choice(bench, "is", "edge role", [], take=self._take, read=self._read)
        self.over = Choice(bench, "over is", "edge over", [], take=self._take_over, read=self._read_over)
        self.onto = Choice(bench, "onto", "seam onto", [], take=self._take_onto, read=self._read_onto)
        self.fields = {
            "past_mm": EdgeField(bench, "runs past by", "", "small"),
            "flange_mm": EdgeField(bench, "flange, from its corner", "", "small"),
            "gap_mm": EdgeField(bench, "root gap", "", "small"),
        }
        for name, field in self.fields.items():
            field.edit.setObjectName(f"edge {name}")
        self.by = Field(bench, "seam off the corner by", "", "small")
        self.by.edit.setObjectName("seam by")
        self.bevel = Tick(
            bench, "bevelled to lie flat", "edge bevel", take=self._take_bevel, read=lambda: bool(self._own("bevel"))
        )
        self.screws = QWidget()
        lid = QVBoxLayout(self.screws)
        lid.setContentsMargins(0, 0, 0, 0)
        self.lid_parts = (
            Field(bench, "screws, M", "makeup.lid.screw_mm", "number"),
            Field(bench, "widest pitch", "makeup.lid.pitch_mm", "small", "by the rule"),
            Choice(
                bench, "gasket of", "makeup.lid.gasket", [("", "not said"), *((k, n) for k, (n, _) in GASKETS.items())]
            ),
        )
        for lid_part in self.lid_parts:
            lid.addWidget(lid_part)
        self.said = words("", "quiet")
        choices = (self.edge, self.role, self.over, self.onto)
        for part in (*choices, *self.fields.values(), self.screws, self.by, self.bevel, self.section, self.said):
            column.addWidget(part)

    @property
    def current(self) -> EdgeRole | None:
        """The role of the edge in hand."""
        roles = self._roles()
        return next((role for role in roles if role.edge.id == self.name), roles[0] if roles else None)

    def _roles(self) -> list[EdgeRole]:
        r = self.bench.evaluation.results
        flat = {face.id for face in r.panelled.faces if face.kind == "plane"}
        return [
            role
            for role in r.roles
            if role.kind in ("bend", "weld") and len(role.edge.line) == 2 and {role.edge.a, role.edge.b} <= flat
        ]

    def pick(self, edge: str) -> bool:
        """Take an edge that was picked in a view in hand; False where nothing is to be chosen for it."""
        if not any(role.edge.id == edge for role in self._roles()):
            return False
        self.name = edge
        self.refresh()
        return True

    def refresh(self) -> None:
        """Show the job's."""
        roles = self._roles()
        self.setVisible(bool(roles))
        role = self.current
        if role is None:
            return
        self.name = role.edge.id
        self.edge.offer([(x.edge.id, f"{x.edge.a} to {x.edge.b}: {self._word(x)}") for x in roles])
        self.role.offer(self._options(role))
        for choice in (self.edge, self.role):
            choice.refresh()
        k, moved = self._index(), self._moved()
        joint = None if k is None else self.bench.job.makeup.edges[k].joint
        for name, field in self.fields.items():
            field.path = f"makeup.edges.{k}.{name}"
            field.setVisible(moved is None and joint in NEEDS[name])
            if joint in NEEDS[name]:
                field.refresh()
        bolted = moved is None and joint == "bolted"
        self.fields["past_mm"].caption.setText("flange, from the wall" if bolted else "runs past by")
        self.fields["gap_mm"].caption.setText("gasket, thick" if bolted else "root gap")
        self.screws.setVisible(bolted)
        for part in self.lid_parts:
            part.refresh()
        sides = [(role.edge.a, role.edge.a), (role.edge.b, role.edge.b)]
        self.over.setVisible(moved is None and joint in OVER and not bolted)
        self.over.offer(sides)
        self.over.refresh()
        self.bevel.setVisible(moved is None and joint in NEEDS["bevel"] and abs(role.edge.turn_deg - 90) > 1)
        self.bevel.refresh()
        self.onto.setVisible(moved is not None)
        self.by.setVisible(moved is not None)
        if moved is not None:
            self.onto.offer([(face, face) for face in self.bench.job.makeup.moved[moved].edge.split("#")[0].split("/")])
            self.onto.refresh()
            self.by.path = f"makeup.moved.{moved}.by_mm"
            self.by.refresh()
        self.section.show_picture(joint_view(self.bench.evaluation, role, self.bench.units))
        self.said.setText(self._said(role))

    def _word(self, role: EdgeRole) -> str:
        return "bent" if role.kind == "bend" else JOINTS[role.joint]

    def _said(self, role: EdgeRole) -> str:
        e = self.bench.evaluation
        angle = f"{role.edge.angle_deg:.0f}° inside, {'turns in' if role.edge.reflex else 'turns out'}"
        seam = next((s for s in e.results.seams if role.edge.id in {part.id for part in s.edges}), None)
        if role.edge.smooth:
            angle = "on the flat"
        if seam is None:
            return f"{angle}."
        ready = (
            making_of(e.results.sheet)
            .prepared(seam, e.results.skins, e.results.sheet, both_sides=e.job.makeup.both_sides)
            .said()
        )
        lid = next((lid for lid in e.results.lids if role.edge.id in lid.edges), None)
        if lid is not None:
            ready = Said(f"{ready} of the flange outside. {lid.said}")
        return f"{angle}. {seam.id}: {worded(ready, self.bench.units)}."

    def _options(self, role: EdgeRole) -> list[tuple[Any, str]]:
        """What this edge may be."""
        shell = self.bench.evaluation.results.panelled
        found: list[tuple[Any, str]] = [(None, "as the school has it")]
        if may_bend(role.edge, shell):
            found.append(("bend", "bent"))
        if role.edge.smooth:
            names = ["butt", "backed"]
        elif role.edge.reflex:
            names = ["corner", "lap"]
        else:
            names = [
                n
                for n in JOINTS
                if n not in ("butt", "backed") and (n not in ("tabs", "bolted") or abs(role.edge.turn_deg - 90) <= 1)
            ]
        found += [(name, JOINTS[name] if name == "bolted" else f"welded, {JOINTS[name]}") for name in names]
        if may_bend(role.edge, shell) or self._moved() is not None:
            found.append(("moved", "bent, its seam moved onto a flat"))
        return found

    def _index(self) -> int | None:
        edges = self.bench.job.makeup.edges
        return next((k for k, choice in enumerate(edges) if choice.edge == self.name), None)

    def _own(self, name: str) -> Any:
        k = self._index()
        return None if k is None else getattr(self.bench.job.makeup.edges[k], name)

    def _moved(self) -> int | None:
        """The moved seam that the edge in hand belongs to: the bend it left, or the butt it became."""
        for k, seam in enumerate(self.bench.job.makeup.moved):
            near = f"{seam.onto}:1"
            others = set(seam.edge.split("#")[0].split("/")) - {seam.onto}
            if near in self.name.split("/") and set(self.name.split("/")) - {near} <= others | {f"{seam.onto}:2"}:
                return k
        return None

    def _read(self) -> str | None:
        if self._moved() is not None:
            return "moved"
        k = self._index()
        if k is None:
            return None
        choice = self.bench.job.makeup.edges[k]
        return (
            "bend"
            if choice.role == "bend"
            else choice.joint or ("butt" if "butt" in dict(self.role.options) else "corner")
        )

    def _chosen(self, edge: str) -> None:
        self.name = edge
        self.refresh()
        e = self.bench.evaluation
        seam = next((s.id for s in e.results.seams if edge in {part.id for part in s.edges}), "")
        self.bench.light(f"seam:{seam}" if seam else f"edge:{edge}")

    def _take(self, kind: str | None) -> None:
        """Another role or joint for the edge in hand; what was said of it before goes."""
        role = self.current
        if role is None:
            return
        at = self._moved()
        moved = [seam.model_dump() for k, seam in enumerate(self.bench.job.makeup.moved) if k != at]
        name = role.edge.id if at is None else self.bench.job.makeup.moved[at].edge
        gone = {name, role.edge.id} | self._of_lid(role)
        kept = [c.model_dump() for c in self.bench.job.makeup.edges if c.edge not in gone]
        if kind == "moved":
            if at is not None:
                return
            moved.append({"edge": name, "onto": self._wider(role), "by_mm": MOVED_MM})
        elif kind == "bend":
            kept.append({"edge": name, "role": "bend"})
        elif kind == "bolted":
            lid = self._lid_of(role)
            around = {r.edge.id for r in self.bench.evaluation.results.roles if lid in (r.edge.a, r.edge.b)}
            bolts = {"role": "weld", "joint": kind, "over": lid, **STARTS[kind]}
            kept = [c for c in kept if c["edge"] not in around] + [{"edge": edge, **bolts} for edge in sorted(around)]
        elif kind is not None:
            over = role.over or role.edge.a if kind in OVER else ""
            kept.append({"edge": name, "role": "weld", "joint": kind, "over": over, **STARTS.get(kind, {})})
        self.bench.edit({"makeup.edges": kept, "makeup.moved": moved}, "an edge's make-up")
        self._settle(name)

    def _of_lid(self, role: EdgeRole) -> set[str]:
        """Edges of the bolted lid that an edge belongs to: they are unbolted together."""
        return {edge for lid in self.bench.evaluation.results.lids if role.edge.id in lid.edges for edge in lid.edges}

    def _lid_of(self, role: EdgeRole) -> str:
        """Which of an edge's two faces is the lid: the one that is higher."""
        shell = self.bench.evaluation.results.panelled
        return max((role.edge.a, role.edge.b), key=lambda name: float(shell.by_id[name].centroid[2]))

    def _settle(self, edge: str) -> None:
        """Have an edge in hand by the name it had before its face was parted."""
        roles = self._roles()
        self.name = edge
        if not any(role.edge.id == edge for role in roles):
            for role in roles:
                self.name = role.edge.id
                k = self._moved()
                if k is not None and role.kind == "bend" and self.bench.job.makeup.moved[k].edge == edge:
                    break
        self.refresh()

    def _wider(self, role: EdgeRole) -> str:
        """The larger of both faces that is no end: there the seam has room."""
        shell = self.bench.evaluation.results.panelled
        faces = [shell.by_id[name] for name in (role.edge.a, role.edge.b)]
        return max(faces, key=lambda f: (f.role != "end", f.area_mm2)).id

    def _put(self, name: str, value: Any, undo: str) -> None:
        k = self._index()
        if k is not None:
            self.bench.edit({f"makeup.edges.{k}.{name}": value}, undo)
        self.refresh()

    def _take_over(self, face: str) -> None:
        self._put("over", face, "which plate runs over")

    def _read_over(self) -> str | None:
        role = self.current
        return self._own("over") or (role.over if role is not None else None)

    def _take_bevel(self, on: bool) -> None:
        self._put("bevel", on, "a bevel")

    def _take_onto(self, face: str) -> None:
        k = self._moved()
        if k is not None:
            edge = self.bench.job.makeup.moved[k].edge
            self.bench.edit({f"makeup.moved.{k}.onto": face}, "a seam on the flat")
            self._settle(edge)

    def _read_onto(self) -> str | None:
        k = self._moved()
        return None if k is None else self.bench.job.makeup.moved[k].onto
