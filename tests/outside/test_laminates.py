"""Laminates against textbooks and closed forms that share no code with them."""

import math

import numpy as np
import pytest

from bathyx.core.laminate import LayUp, Ply, cloths, resins
from bathyx.core.laminate.theory import Lamina, failure, lamina_q, stiffness, turned

# Graphite/epoxy of Kaw, Mechanics of Composite Materials, 2nd ed., table 2.1 (from memory): 181, 10.3, 7.17 GPa, 0.28.
GRAPHITE = {"e1": 181_000.0, "e2": 10_300.0, "nu": 0.28, "g": 7170.0}


def test_the_reduced_stiffness_of_kaw_example_2_6():
    q = lamina_q(Lamina(1.0, **GRAPHITE))
    assert q[0, 0] == pytest.approx(181_800, rel=1e-3)
    assert q[0, 1] == pytest.approx(2897, rel=1e-3)
    assert q[1, 1] == pytest.approx(10_350, rel=1e-3)
    assert q[2, 2] == 7170


def test_the_turned_stiffness_of_kaw_example_2_7():
    """60°: 23.65, 32.46, 109.4, 20.05, 54.19, 36.74 GPa (from memory)."""
    q = turned(lamina_q(Lamina(1.0, **GRAPHITE)), 60.0) / 1000
    assert [q[0, 0], q[0, 1], q[1, 1], q[0, 2], q[1, 2], q[2, 2]] == pytest.approx(
        [23.65, 32.46, 109.4, 20.05, 54.19, 36.74], rel=2e-3
    )


def test_a_b_and_d_of_kaw_example_4_2():
    """[0/30/−45], 5 mm each: A in MN/m, B in kN, D in kN m (from memory)."""
    s = stiffness(tuple(Lamina(5.0, **GRAPHITE, angle=a) for a in (0.0, 30.0, -45.0)))
    a, b, d = s.a / 1e3, s.b / 1e3, s.d / 1e6
    assert a[np.triu_indices(3)] == pytest.approx([1739, 388.4, 56.63, 453.3, -114.1, 452.5], rel=2e-3)
    assert b[np.triu_indices(3)] == pytest.approx([-3129, 985.5, -1072, 1158, -1072, 985.5], rel=2e-3)
    assert d[np.triu_indices(3)] == pytest.approx([33.43, 6.461, -5.240, 9.320, -5.596, 7.663], rel=2e-3)


def test_a_plate_of_one_stuff_is_the_plate_of_the_handbook():
    s = stiffness(tuple(Lamina(1.5, 70_000.0, 70_000.0, 0.33, 70_000 / 2.66) for _ in range(3)))
    t = 4.5
    assert s.d[0, 0] == pytest.approx(70_000 * t**3 / 12 / (1 - 0.33**2))
    assert np.abs(s.b).max() < 1e-6
    assert s.bending == pytest.approx((70_000, 70_000))
    moment = 100.0
    share, _ = failure(s, np.zeros(3), np.array([moment, 0.0, 0.0]))
    strain = 6 * moment / t**2 / 70_000
    assert share == pytest.approx(max(strain / 0.018, strain / 0.012, 0.33 * strain / 0.0035))


def test_a_sandwich_bends_as_its_faces_by_their_arm():
    """D of thin faces far apart: E t d² / 2 a width, foam left out (Zenkert; Gere's composite beams)."""
    face = Lamina(1.0, 20_000.0, 20_000.0, 0.0, 10_000.0)
    s = stiffness((face, Lamina(20.0, 1e-3, 1e-3, 0.0, 1e-3, core=True), face))
    arm = 21.0
    assert s.d[0, 0] == pytest.approx(20_000 * 1.0 * arm**2 / 2 + 2 * 20_000 * 1.0 / 12)


@pytest.mark.parametrize(
    ("cloth", "share", "low", "high"),
    # Handbook ranges of hand laid E-glass and polyester, tension, MPa (from memory): mat 6 to 8 GPa, rovings 12.5 to 16.
    [("csm450", None, 6000, 8000), ("wr800", None, 12_500, 16_500), ("bx600", None, 13_000, 18_000)],
)
def test_moduli_of_hand_laid_cloth_are_in_the_handbooks_ranges(cloth, share, low, high):
    made = LayUp(resin="polyester", plies=(Ply(cloth=cloth, share=share),) * 2).made
    assert low < made.stiff.pulling[0] < high


@pytest.mark.parametrize("psi", [0.29, 0.31, 0.33])
def test_mat_is_as_stiff_as_the_rule_of_the_small_craft_standard(psi):
    """ISO 12215-5: E = 38000 ψ − 5000 MPa for chopped mat, from memory; within a tenth where mat is laid."""
    made = LayUp(resin="polyester", plies=(Ply(cloth="csm450", share=psi),)).made
    assert made.stiff.pulling[0] == pytest.approx(38_000 * psi - 5000, rel=0.1)


def test_a_ply_of_mat_is_a_millimetre_and_a_cored_panel_just_under_sixteen():
    """Common practice: 450 g mat about a millimetre; 12.7 mm core with a 1708 a side just under 16 mm."""
    assert 0.95 < LayUp.preset("two").made.thick_mm / 2 < 1.1
    assert 15.4 < LayUp.preset("cored").made.thick_mm < 16.0


@pytest.mark.parametrize("cloth", sorted(cloths()))
@pytest.mark.parametrize("resin", sorted(resins()))
def test_a_ply_weighs_and_fills_what_its_glass_and_resin_do(cloth, resin):
    """By hand: resin = glass (1 − s) / s; volumes of both side by side."""
    low, _ = resins()[resin].catalyst
    made = LayUp(resin=resin, plies=(Ply(cloth=cloth),), catalyst_pct=low).made
    glass = cloths()[cloth].grams / 1000
    wet = glass / cloths()[cloth].share - glass
    assert made.kg_m2 == pytest.approx(glass + wet)
    assert made.thick_mm == pytest.approx(1000 * (glass / 2560 + wet / resins()[resin].density))
    assert made.glass_share == pytest.approx(cloths()[cloth].share)


def test_turning_every_ply_by_a_right_angle_swaps_along_and_across():
    one = LayUp(plies=(Ply(cloth="wr500"), Ply(cloth="db450"), Ply(cloth="csm450"))).made
    other = LayUp(
        plies=(Ply(cloth="wr500", angle_deg=90), Ply(cloth="db450", angle_deg=90), Ply(cloth="csm450", angle_deg=90))
    ).made
    assert one.stiff.bending == pytest.approx(tuple(reversed(other.stiff.bending)))
    assert one.breaks[0] == pytest.approx(other.breaks[0])


def test_the_moment_at_which_it_fails_by_a_beam_of_strips():
    """Mat alone is one stuff: fails at the outer strain of 1.2 %, as the beam formula has it; free to curl across."""
    made = LayUp(resin="polyester", plies=(Ply(cloth="csm450"),) * 4).made
    e, t = made.bending_mpa, made.thick_mm
    assert made.breaks[0] == pytest.approx(0.012 * e * t**2 / 6, rel=1e-6)


def test_a_face_wrinkles_by_hoffs_formula():
    made = LayUp.preset("cored").made
    face = LayUp(plies=(Ply(cloth="1708"),)).made
    core = made.core
    stress = 0.5 * (min(face.stiff.pulling) * core.modulus * core.shear_modulus) ** (1 / 3)
    arm = 12.7 + face.thick_mm
    assert made._wrinkles() == pytest.approx(stress * face.thick_mm * arm)
    assert math.isinf(LayUp.preset("lid").made._wrinkles())
