"""Files as others write them, spoilt: read, or refused in words; none of them takes for ever, and nothing beside them is read."""

import os
import subprocess
import sys
import warnings

import numpy as np
import pytest

from bathyx.core.space.said import things_of
from bathyx.core.tank.outline import corners_of
from bathyx.core.units import parse_quantity
from bathyx.errors import Refusal
from bathyx.files.limits import limited
from bathyx.files.offsets import offsets_of
from bathyx.files.profiles import read_profile
from bathyx.files.scans import cut_scan, solids_of
from tools.attacks.fuzz_files import READERS, SAMPLES, attack

PATH = '<path d="M0 0H400V200H0Z"/>'


@pytest.mark.parametrize("name", SAMPLES)
def test_a_sample_is_read_and_spoilt_ones_are_read_or_refused_in_words(name, tmp_path):
    path = tmp_path / name
    path.write_text(SAMPLES[name], "utf-8")
    for reader in READERS[name]:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            assert reader(path)
    for seed in range(25):
        assert attack(name, seed, tmp_path) in ("read", "refused"), f"python -m tools.attacks.fuzz_files 1 {seed}"


@pytest.mark.parametrize("seed", [51, 118, 186])
def test_corners_of_two_numbers_are_refused(seed, tmp_path):
    assert attack("mesh.obj", seed, tmp_path) == "refused"


def svg(tmp_path, inside, head='width="400mm" viewBox="0 0 400 200"'):
    path = tmp_path / "p.svg"
    path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg" {head}>{inside}</svg>', "utf-8")
    return path


def size(corners):
    xs, zs = [c["x_mm"] for c in corners], [c["z_mm"] for c in corners]
    return max(xs) - min(xs), max(zs) - min(zs)


@pytest.mark.parametrize(
    "view", [". . . .", "0 0 1.2.3 4", "a b c d", "0,0,500,", "0 0 -5 3", "0 0 0 0", "0 0 1e999 1"]
)
def test_an_odd_view_of_an_svg_says_no_scale_and_asks_for_the_unit(view, tmp_path):
    path = svg(tmp_path, PATH, f'width="5.0.0mm" viewBox="{view}"')
    with pytest.raises(Refusal, match="does not say its unit"):
        read_profile(path)
    assert size(read_profile(path, "mm")) == pytest.approx((400, 200), rel=1e-5)


def test_a_background_is_no_profile_and_a_rectangle_may_say_its_unit(tmp_path):
    assert size(read_profile(svg(tmp_path, f'<rect width="100%" height="100%"/>{PATH}'))) == pytest.approx(
        (400, 200), rel=1e-5
    )
    plain = svg(tmp_path, '<rect width="500mm" height="30cm"/>', "")
    assert size(read_profile(plain)) == pytest.approx((500, 300))
    assert size(read_profile(plain, "mm")) == pytest.approx((500, 300))
    assert size(
        read_profile(svg(tmp_path, '<rect width="96" height="192px"/>', 'width="10in" viewBox="0 0 960 960"'))
    ) == (pytest.approx(25.4), pytest.approx(50.8))
    with pytest.raises(Refusal, match="a rectangle measures '5 furlongs'"):
        read_profile(svg(tmp_path, '<rect width="5 furlongs" height="3"/>'))


def test_a_table_of_offsets_parted_by_blanks(tmp_path):
    by_commas = offsets_of("x_mm, 0, 100\n0, 50, 60\n500, 55, 65")
    assert offsets_of("x_mm  0   100\n0  50 60\n500   55  65") == by_commas
    with pytest.raises(Refusal, match="'1/4' is no plain number"):
        offsets_of("x_mm 0 100\n0 5 1/4\n500 55 65")
    with pytest.raises(Refusal, match="names no height"):
        offsets_of("x_mm\n0\n100\n200")


def mesh(path, faces, n=300):
    spots = np.random.default_rng(1).uniform(0, 1000, (n, 3))
    head = f"ply\nformat ascii 1.0\nelement vertex {n}\nproperty float x\nproperty float y\nproperty float z\n"
    head += f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    body = [" ".join(map(str, s)) for s in spots] + ["3 " + " ".join(map(str, f)) for f in faces]
    path.write_text(head + "\n".join(body) + "\n")
    return path


@pytest.mark.parametrize(
    ("faces", "why"),
    [
        ([(0, 1, 2), (3, 4, 5000)], "name points"),
        ([(0, 1, 2), (3, 4, -1)], "name points"),
        ([(0, 0, 0), (1, 1, 1)], "has an area"),
    ],
)
def test_a_mesh_with_faces_of_nothing_is_refused(faces, why, tmp_path):
    path = mesh(tmp_path / "m.ply", faces * 30)
    for read in (lambda: cut_scan(path, "mm"), lambda: cut_scan(path, "mm", "floor"), lambda: solids_of(path, "mm")):
        with pytest.raises(Refusal, match=why):
            read()


def test_what_an_obj_names_beside_it_is_not_read(tmp_path):
    """A pipe that nobody writes to: whoever opens it waits for ever."""
    os.mkfifo(tmp_path / "pipe.mtl")
    path = tmp_path / "m.obj"
    path.write_text(f"mtllib pipe.mtl\nusemtl a\n{SAMPLES['mesh.obj']}")
    assert len(cut_scan(path, "mm")[0].stations) > 1


def test_a_face_of_endless_corners_is_refused(tmp_path):
    path = tmp_path / "m.obj"
    spots = np.linspace(0, 2 * np.pi, 20_000, endpoint=False)
    path.write_text(
        "".join(f"v {np.cos(x)} {np.sin(x)} 0\n" for x in spots) + "f " + " ".join(map(str, range(1, 20_001))) + "\n"
    )
    with pytest.raises(Refusal, match="is a face of 20000 corners"):
        cut_scan(path, "m", "floor")


B = " " * 60_000
TYPED = {
    "things": (things_of, (f"box: 1{B}x 2{B}", f"box a{B}:{B}1, 2", f"a: box at{B}1")),
    "corners": (corners_of, (f"1{B}x", f"1{B}@{B}2", f"0, 0{B}q20")),
    "quantity": (lambda t: parse_quantity(t, "pressure"), (f"1{B}@{B}2", "1" * 60_000, f"{B}1{B}x{B}")),
    "offsets": (offsets_of, (f"x_mm, 0{B}q, 100\n0,1,2\n5,1,2", f"x_mm, z{B}{B}\n0,1\n1,2")),
}


@pytest.mark.parametrize("kind", TYPED)
def test_a_long_run_of_blanks_is_no_hang(kind):
    """A pattern that tries every way to part 60,000 blanks is at it for hours; counted in computing, not by the clock."""
    read, texts = TYPED[kind]
    for text in texts:
        with limited(20, 0), pytest.raises(Refusal) as told:
            read(text)
        assert "s of computing" not in str(told.value)
        assert len(str(told.value)) < 400


def test_a_reader_past_its_limits_is_refused_in_words():
    code = (
        "from bathyx.errors import Refusal\nfrom bathyx.files.limits import limited\n"
        "try:\n    with limited(1, 0):\n        while True: pass\nexcept Refusal as e: print(e)\n"
        "try:\n    with limited(0, 900_000_000):\n        bytearray(2_000_000_000)\nexcept Refusal as e: print(e)\n"
        "bytearray(1_000_000_000); print('free again')\n"
    )
    shown = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True).stdout.splitlines()
    assert [line[:30] for line in shown] == [
        "it takes more than 1 s of comp",
        "it takes more than 1 GB of mem",
        "free again",
    ]
