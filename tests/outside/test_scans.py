"""Scans cut into stations against surfaces in closed form: clouds with noise, meshes, placing, and files that are broken."""

import time

import numpy as np
import pytest
import trimesh
from PyQt6.QtWidgets import QComboBox, QPushButton

from bathyx.cli.main import main
from bathyx.core.job import read_job
from bathyx.core.space import StationSpace
from bathyx.errors import Refusal
from bathyx.files.scans import Scan, cut_scan, placed_by_points, read_scan, stations_of
from tests.desk.test_parts import SPACE, find

LONG, WIDE, TALL = 2400.0, 1200.0, 600.0


def half(x, z):
    return WIDE / 2 * (1 - 0.4 * (2 * x / LONG) ** 2) * (0.15 + 0.85 * (1 - ((TALL - z) / TALL) ** 2))


def cloud(count, noise, seed=1):
    """Both walls and a flat floor, evenly sprinkled."""
    rng = np.random.default_rng(seed)
    x, z = rng.uniform(-LONG / 2, LONG / 2, count), TALL * rng.random(count)
    walls = np.column_stack([x, half(x, z) * rng.choice([-1, 1], count), z])
    floor = np.column_stack([x, rng.uniform(-1, 1, count) * half(x, 0 * x), 0 * x])
    return np.concatenate([walls, floor]) + rng.normal(0, noise, (2 * count, 3))


def worst(stations, shift=0.0):
    return max(
        abs(row[side] - half(s["x_mm"] - shift, row["z_mm"]))
        for s in stations
        for row in s["rows"]
        for side in ("left_mm", "right_mm")
        if row[side] is not None
    )


def test_half_a_million_points_are_read_and_cut_within_half_a_millimetre(tmp_path):
    path = tmp_path / "bay.xyz"
    np.savetxt(path, cloud(250_000, 0.3), fmt="%.3f")
    start = time.process_time()  # of computing: a loaded machine is no fault of the reader
    stations = cut_scan(path, "mm")[0].stations
    assert time.process_time() - start < 15
    assert len(stations) == 13
    assert sum(len(s["rows"]) for s in stations) > 180
    assert worst(stations) < 0.5


def test_a_cloud_that_lies_askew_in_metres_is_placed_by_its_floor(tmp_path):
    a, b = np.radians(12), 0.5
    turn = np.array([[np.cos(b), -np.sin(b), 0], [np.sin(b), np.cos(b), 0], [0, 0, 1]]) @ np.array(
        [[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]]
    )
    points = cloud(60_000, 0.3)
    straight, askew = tmp_path / "a.xyz", tmp_path / "b.xyz"
    np.savetxt(straight, points, fmt="%.3f")
    np.savetxt(askew, (points @ turn.T + [5000, 300, -70]) / 1000, fmt="%.6f", delimiter=",")
    one, other = (
        StationSpace(stations=cut_scan(*asked)[0].stations).cavity.volume_mm3
        for asked in ((straight, "mm"), (askew, "m", "floor"))
    )
    assert other == pytest.approx(one, rel=2e-3)


@pytest.mark.parametrize("kind", ["stl", "obj", "ply"])
def test_a_mesh_is_cut_exactly_also_with_holes_and_faces_turned_round(tmp_path, kind):
    """A wedge of flat walls: half-breadth 100 + z/2, 1,000 long and 400 high."""
    x, z = np.array([0.0, 250, 500, 750, 1000]), np.array([0.0, 200, 400])
    faces, points = [], []
    for way in (-1, 1):
        for i in range(4):
            for k in range(2):
                a = len(points)
                points += [
                    (x[i + p], way * (100 + z[k + q] / 2), z[k + q]) for p, q in ((0, 0), (1, 0), (1, 1), (0, 1))
                ]
                faces += [(a, a + 1, a + 2), (a, a + 3, a + 2)]  # half of them the wrong way round
    del faces[5]
    path = tmp_path / f"bay.{kind}"
    trimesh.Trimesh(points, faces, process=False).export(path)
    stations = cut_scan(path, "mm")[0].stations
    told = [
        (row["z_mm"], row[side])
        for s in stations
        for row in s["rows"]
        for side in ("left_mm", "right_mm")
        if row[side] is not None
    ]
    assert len(told) > 350
    assert max(abs(y - 100 - z / 2) for z, y in told) < 0.011
    StationSpace(stations=stations)


def test_three_places_set_the_axes(tmp_path):
    path = tmp_path / "bay.xyz"
    points = cloud(4_000, 0.0)
    np.savetxt(path, points[:, [2, 0, 1]] + [10, 20, 30], fmt="%.4f")  # z, x, y
    scan = read_scan(path, "mm")
    placed = placed_by_points(scan, np.array([10.0, 20, 30]), np.array([10.0, 520, 30]), np.array([10.0, 20, 90]))
    assert np.abs(placed.points - points).max() < 1e-3
    with pytest.raises(Refusal, match="in one line"):
        placed_by_points(scan, np.zeros(3), np.array([1.0, 0, 0]), np.array([2.0, 0, 0]))


def test_bad_scans_say_what_is_wrong_and_what_would_be_right(tmp_path):
    good, broken, empty, flat = (tmp_path / name for name in ("a.xyz", "b.stl", "c.xyz", "d.xyz"))
    np.savetxt(good, cloud(3_000, 0.3) / 25.4, fmt="%.3f")
    broken.write_bytes(b"solid nothing\n" + bytes(range(200)))
    empty.write_text("# none\n", "utf-8")
    np.savetxt(flat, np.random.default_rng(1).uniform(0, 500, (900, 3)) * [1, 1, 0], fmt="%.3f")
    for path, unit, why in (
        (good, None, "does not say its unit; say it: one of mm, cm, m, in"),
        (good, "m", "mm long|long in m"),
        (good, "furlong", "no unit 'furlong'"),
        (broken, "mm", "that can be read|points that can be used|holds no surface"),
        (empty, "mm", "points that can be used|no cloud of points"),
        (tmp_path / "none.stl", "mm", "no file that can be read"),
        (tmp_path / "a.doc", "mm", "scans are read from"),
        (flat, "mm", "no walls on both sides"),
    ):
        with pytest.raises(Refusal, match=why):
            cut_scan(path, unit)


def test_the_command_line_makes_a_job_of_a_scan(tmp_path, capsys):
    path, out = tmp_path / "bay.xyz", tmp_path / "job.json"
    np.savetxt(path, cloud(30_000, 0.3), fmt="%.2f")
    assert main(["space", str(path), "--out", str(out)]) != 0
    assert "does not say its unit" in capsys.readouterr().err
    assert main(["space", str(path), "--units", "mm", "--stations", "9", "--out", str(out)]) == 0
    job = read_job(out.read_text("utf-8"), "job")
    assert len(job.space.stations) == 9
    assert job.tank.volume_mm3() > 0.2 * job.space.cavity.volume_mm3
    assert (
        main(
            ["space", str(path), "--units", "mm", "--points", "0,0,0", "1,0,0", "x", "--out", str(tmp_path / "z.json")]
        )
        != 0
    )
    assert "is no place" in capsys.readouterr().err


def test_three_places_never_stand_a_scan_on_its_head_without_a_word(tmp_path):
    points = cloud(4_000, 0.0)
    ahead, right = np.array([900.0, 0, 0]), np.array([0, 300.0, 0])
    assert placed_by_points(Scan(points, None), np.zeros(3), ahead, right).points == pytest.approx(points, abs=1e-9)
    with pytest.raises(Refusal, match=r"stand on its head: pick the third one on the right.*z points down"):
        placed_by_points(Scan(points, None), np.zeros(3), ahead, -right)
    # A scanner that hung from the deck: its z points down, and a place that is on the right of it is so in the hull.
    path = tmp_path / "hung.xyz"
    np.savetxt(path, points * [1, -1, -1], fmt="%.4f")
    places = (np.zeros(3), ahead, -right)
    with pytest.raises(Refusal, match="on its head"):
        cut_scan(path, "mm", places)
    turned = [cut_scan(path, "mm", place, down=True)[0].stations for place in (places, "as it is", "floor")]
    wide = [[row["right_mm"] for row in rows[6]["rows"] if row["right_mm"] is not None] for rows in turned]
    for row in wide:
        assert row[-1] > 2 * row[0]  # the keel is below
    head = [row["right_mm"] for row in cut_scan(path, "mm")[0].stations[6]["rows"] if row["right_mm"] is not None]
    assert head[-1] < head[0] / 2


SHAPES = {
    "hull": half,
    "box": lambda x, z: WIDE / 2 + 0 * x,
    "chine": lambda x, z: np.minimum(150 + 2 * z, 450 + 0.25 * z) + 0 * x,
}


def bay(shape, noise, strays, seed, *, roof=True):
    """Walls, floor, roof and both ends, with gaps where the scanner did not see, and strays all about."""
    rng = np.random.default_rng(seed)
    count, f = 24_000, SHAPES[shape]
    x, z = rng.uniform(-LONG / 2, LONG / 2, count), TALL * rng.random(count)
    parts = [np.column_stack([x, f(x, z) * rng.choice([-1, 1], count), z])]
    for level in (0.0, TALL) if roof else (0.0,):
        x = rng.uniform(-LONG / 2, LONG / 2, count // 2)
        parts.append(np.column_stack([x, rng.uniform(-1, 1, len(x)) * f(x, 0 * x + level), 0 * x + level]))
    for end in (-LONG / 2, LONG / 2):
        z = TALL * rng.random(count // 4)
        parts.append(np.column_stack([0 * z + end, rng.uniform(-1, 1, len(z)) * f(0 * z + end, z), z]))
    points = np.concatenate(parts)
    for hole in points[rng.choice(len(points), 5)]:
        points = points[np.linalg.norm(points - hole, axis=1) > 110]
    points += rng.normal(0, noise, points.shape)
    lost = int(strays * len(points))
    return np.concatenate([points, rng.uniform([-1500, -1400, -300], [1500, 1400, 900], (lost, 3))]), lost


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize(("noise", "strays", "roof"), [(0.5, 0.0, True), (3.0, 0.01, False), (10.0, 0.02, True)])
def test_walls_of_a_noisy_cloud_stand_no_further_out_than_its_noise(shape, noise, strays, roof):
    """What stood before: 62 to 900 mm outside at corners and ends, metres beside gaps."""
    points, lost = bay(shape, noise, strays, 1, roof=roof)
    scan = Scan(points, None).without_strays
    cut = stations_of(scan)
    middle = float(scan.points[:, 1].min() + scan.points[:, 1].max()) / 2
    out = []
    for s in cut.stations:
        for row in s["rows"]:
            for side, way in (("left_mm", -1), ("right_mm", 1)):
                if row[side] is not None:
                    true = SHAPES[shape](np.clip(s["x_mm"], -LONG / 2, LONG / 2), np.clip(row["z_mm"], 0, TALL))
                    out.append(row[side] + way * middle - float(true))
    assert len(out) > 280
    assert max(out) < cut.noise_mm + 1
    assert cut.noise_mm == pytest.approx(2 * noise, rel=0.45, abs=0.6)
    assert np.median(np.abs(out)) < 0.8 * noise + 0.2
    assert np.quantile(out, 0.05) > -2 * noise - 5  # drawn in, and not away
    assert cut.strays == pytest.approx(lost, rel=0.25)
    assert cut.unseen > 0
    assert f"±{cut.noise_mm:.1f} mm" in cut.words
    assert ("strays" in cut.words) == (strays > 0)
    StationSpace(stations=cut.stations)


def test_a_scan_is_looked_at_picked_cut_and_kept_with_its_stations(window, qtbot, tmp_path):
    """On the desk: a cloud in metres, turned by 30°; three picks place it, and its points lie on the walls that come of it."""
    turn = np.array([[np.cos(0.5), -np.sin(0.5), 0], [np.sin(0.5), np.cos(0.5), 0], [0, 0, 1]])
    path = tmp_path / "counter.xyz"
    np.savetxt(path, cloud(15_000, 0.2) @ turn.T / 1000, fmt="%.6f")
    window.choose(SPACE)
    find(window, QComboBox, "space kind").parent().choose("stations")
    parts = window.stage.parts
    before = window.bench.job
    assert parts.text_of(path) is None
    scan = parts.scan
    qtbot.waitUntil(lambda: scan.points is not None)
    assert 200 < len(scan.points) <= 700
    window.grab()
    find(window, QComboBox, "scan unit").setCurrentText("m")
    place = find(window, QComboBox, "scan place")
    place.setCurrentIndex(2)
    place.activated.emit(2)
    cut = find(window, QPushButton, "cut scan")
    flat = scan.points @ turn * 1000

    def near(x, y, z):
        return int(np.argmin(np.linalg.norm(flat - [x, y, z], axis=1)))

    for spot in ((0, 0, 0), (1000, 0, 0), (0, 250, 0)):
        assert not cut.isEnabled()
        window.stage.picked(f"spot:{near(*spot)}:above")
    assert cut.isEnabled()
    cut.click()
    qtbot.waitUntil(lambda: not scan.study.running and scan.path is None)
    space = window.bench.job.space
    assert len(space.stations) == 13
    half_of, most = space.off_scan_mm
    assert half_of < 3
    assert most < 20
    # At bow and keel, where one end of a run bends and the other hardly does, walls are drawn in, and hardly ever out.
    beyond = space.cavity.room_at(space.scanned).min(axis=1)
    assert np.quantile(beyond, 0.95) < 11
    low, high = space.cavity.bounds
    assert (high - low)[1] == pytest.approx(WIDE, abs=60)
    window.grab()
    assert read_job(window.bench.job.to_json()) == window.bench.job
    window.bench.undo()
    assert window.bench.job == before
    assert parts.text_of(tmp_path / "counter.xyz") is None
    find(window, QPushButton, "leave scan").click()
    assert scan.picture() is None
    assert window.bench.job == before


def test_a_scan_that_is_none_is_said_on_the_card(window, qtbot, tmp_path):
    (tmp_path / "broken.stl").write_bytes(b"solid nothing")
    window.choose(SPACE)
    window.stage.card.refresh()
    scan = window.stage.parts.scan
    scan.take_up(tmp_path / "broken.stl")
    qtbot.waitUntil(lambda: not scan.study.running)
    qtbot.wait(10)
    assert "broken.stl" in scan.said.text()
    assert not find(window, QPushButton, "cut scan").isEnabled()
    (tmp_path / "broken.stl").unlink()
    scan.take_up(tmp_path / "broken.stl")
    assert "cannot be read" in scan.said.text()
