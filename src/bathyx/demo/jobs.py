"""Sample jobs of Tolmere Tankworks."""

from __future__ import annotations

from bathyx.core.brief import Brief, CapacityWanted, RunningTime, SystemShare
from bathyx.core.inside.baffles import BaffleRules
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.inside.inside import Inside
from bathyx.core.job import Job
from bathyx.core.laminate import LayUp
from bathyx.core.proving.plan import PlannedTest, ProvingPlan
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.flat.formed import FormedSkin, readings_of, sections_of
from bathyx.core.sheet.makeup.own_parts import OwnPart, own_parts_of
from bathyx.core.sheet.makeup.roles import MakeUp
from bathyx.core.space import (
    BoxObstacle,
    Clearance,
    MeasuredBox,
    Seat,
    SpaceReading,
    Station,
    StationSpace,
    TubeObstacle,
)
from bathyx.core.space.openings import Opening, WayIn
from bathyx.core.space.stations import Offset
from bathyx.core.tank.lofted import LoftedTank, Section
from bathyx.core.tank.profile import Chamfer, Jog, ProfileTank
from bathyx.core.tank.rolled import End, RolledTank
from bathyx.core.tank.saddle import SaddleTank
from bathyx.core.tank.sump import Sump
from bathyx.core.units import Reading

SHOP = "Tolmere Tankworks"


def _at(kind: str, id_: str, u: float, v: float, face: str = "top", **sizes: float) -> Fitting:
    return usual(kind, id_, face, u, v).model_copy(update=sizes)


def trolley() -> Job:
    """A diesel tank under the bench seat of a peat-railway trolley: jog at the rear over an axle box, chamfer to fill."""
    return Job(
        uid="demo-peat-railway-trolley",
        maker=SHOP,
        brief=Brief(
            name="Peat-railway trolley",
            customer="Lunnick Moor Light Railway",
            fluid="diesel",
            demand=RunningTime(litres_per_hour=3.1, hours=20, reserve_share=0.2),
            moving=True,
            braking_g=0.25,
            slope_deg=4.0,
        ),
        space=MeasuredBox(
            width=Reading.of('29 3/8"'),
            depth=Reading.of(438),
            height=Reading.of("0.335 m"),
            clearance=Clearance(left_mm=8, right_mm=8, front_mm=6, rear_mm=6, below_mm=6, above_mm=30),
            floor_diagonals=(Reading.of(868), Reading.of(863)),
        ),
        tank=ProfileTank(
            length_mm=418,
            width_mm=720,
            height_mm=292,
            sheet="5083/3",
            chamfers=(Chamfer(corner="front_top", along_mm=70, up_mm=70),),
            jog=Jog(end="rear", length_mm=130, rise_mm=45),
        ),
        makeup=MakeUp(school="two_l", joint="corner", both_sides=True),
        inside=Inside(
            baffles=BaffleRules(flow_hole_mm=60),
            fittings=(
                _at("filler", "filler", 130, 100),
                _at("vent", "vent front", 105, 215),
                _at("vent", "vent rear", 315, 660),
                _at("pickup", "feed", 160, 440),
                _at("return", "return", 300, 440),
                _at("sender", "sender", 215, 290),
                _at("inspection", "port", 185, 560, hole_mm=120, ring_od_mm=170),
                _at("drain", "drain", 140, 60, "bottom"),
            ),
        ),
        proving=ProvingPlan(
            tests=(
                PlannedTest(method="air_soap", test_kpa=21, hold_min=10),
                PlannedTest(method="decay", test_kpa=21, hold_min=45, leak_limit_ml_min=2.0),
            ),
            altitude_m=120,
        ),
    )


def sawmill() -> Job:
    """The oil reservoir of a travelling sawmill, mild steel plates."""
    return Job(
        uid="demo-travelling-sawmill",
        maker=SHOP,
        brief=Brief(
            name="Travelling sawmill reservoir",
            customer="Oddmar Timber",
            fluid="hydraulic",
            demand=CapacityWanted(litres=90),
            moving=False,
            slope_deg=6,
            braking_g=0,
            warm_up_k=55,
            air_space_share=0.08,
        ),
        space=MeasuredBox(width=Reading.of(560), depth=Reading.of(1000), height=Reading.of(470)),
        tank=RolledTank(
            length_mm=760, diameter_mm=400, sheet="s235/3", front=End(kind="dished"), rear=End(kind="dished")
        ),
        makeup=MakeUp(school="rolled"),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 150, 0, "wall"),
                _at("vent", "vent front", 50, -110, "wall"),
                _at("vent", "vent rear", 710, 110, "wall"),
                _at("pickup", "suction", 640, 0, "wall", hole_mm=34, ring_od_mm=60, floor_clear_mm=40),
                _at("return", "return", 240, 90, "wall", hole_mm=28, ring_od_mm=52),
                _at("inspection", "port", 470, 0, "wall", hole_mm=120, ring_od_mm=170),
                _at("drain", "drain", 300, 628.3, "wall", hole_mm=26, ring_od_mm=50),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="air_soap", test_kpa=14, hold_min=10),), altitude_m=120),
    )


def vineyard() -> Job:
    """A saddle tank with a sump, over the spine of a three-wheeled vineyard carrier."""
    return Job(
        uid="demo-vineyard-carrier",
        maker=SHOP,
        brief=Brief(
            name="Vineyard carrier saddle tank",
            customer="Sollebrand Vines",
            fluid="diesel",
            demand=CapacityWanted(litres=46),
            moving=True,
            slope_deg=14,
            braking_g=0.25,
        ),
        space=MeasuredBox(width=Reading.of(610), depth=Reading.of(480), height=Reading.of(390)),
        tank=SaddleTank(
            length_mm=420,
            width_mm=540,
            height_mm=270,
            tunnel="half_round",
            tunnel_width_mm=140,
            tunnel_height_mm=110,
            left_lobe_mm=230,
            nose_mm=50,
            sheet="5083/3",
            sump=Sump(kind="box", x_mm=250, y_mm=115, length_mm=120, width_mm=110, depth_mm=45),
        ),
        makeup=MakeUp(school="two_l", brake=Brake(length_mm=2000, open_ended=True)),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 90, 430),
                _at("vent", "vent front", 60, 120),
                _at("vent", "vent rear", 320, 480),
                _at("pickup", "feed", 200, 115, floor_clear_mm=10),
                _at("return", "return", 120, 60),
                _at("balance", "balance left", 150, 190, "left floor"),
                _at("balance", "balance right", 150, 40, "right floor"),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="air_soap", test_kpa=21, hold_min=10),), altitude_m=310),
        formed=(_cover(),),
    )


def _cover() -> FormedSkin:
    """The crowned cover over the tank that the driver leans on, beaten to three section templates."""
    return FormedSkin.model_validate(
        {
            "name": "crowned cover",
            "thickness_mm": 1.5,
            "sections": sections_of(
                "0: -255 0, -150 31, 0 42, 150 31, 255 0\n"
                "210: -268 0, -155 44, 0 60, 155 44, 268 0\n"
                "420: -240 0, -140 24, 0 33, 140 24, 240 0"
            ),
            "readings": readings_of(
                "left, 105, -130, 41.0\nright, 105, -130, 46.5\nright, 315, -120, 38.0\nleft, 315, -120, 41.5"
            ),
        }
    )


BARGE_STATIONS = {
    0: (92, 167, 215, 261, 330), 320: (113, 203, 262, 318, 402), 640: (125, 225, 291, 353, 446),
    960: (129, 234, 302, 366, 462), 1280: (127, 229, 295, 358, 452), 1500: (120, 217, 281, 341, 430),
}  # fmt: skip
BARGE_HEIGHTS = (0, 80, 180, 300, 520)


def _ring(bottom: float, low: float, bilge: float, side: float) -> tuple[tuple[float, float], ...]:
    """Half of the bottom, its height, and how far bilge and side rise; each looks the same way in every section."""
    outs = (bottom, bottom + bilge / 1.466, bottom + bilge / 1.466 + side / 2.7)
    ups = (low, low + bilge, low + bilge + side)
    right = list(zip(outs, ups, strict=True))
    return (*right, *((-y, z) for y, z in reversed(right)))


def barge() -> Job:
    """A diesel tank in the curved counter of a reed-harvesting barge, over its stern tube."""
    rows = {x: tuple(zip(BARGE_HEIGHTS, half, strict=True)) for x, half in BARGE_STATIONS.items()}
    stations = tuple(
        Station(x_mm=x, rows=tuple(Offset(z_mm=z, left_mm=y, right_mm=y) for z, y in row)) for x, row in rows.items()
    )
    return Job(
        uid="demo-reed-barge",
        maker=SHOP,
        brief=Brief(
            name="Reed barge counter tank",
            customer="Wendle Reedcutters",
            fluid="diesel",
            demand=CapacityWanted(litres=255),
            moving=True,
            slope_deg=4,
            roll_deg=8,
            braking_g=0.1,
        ),
        space=StationSpace(
            stations=stations,
            clearance=Clearance(left_mm=8, right_mm=8, front_mm=20, rear_mm=20, below_mm=10, above_mm=44),
            obstacles=(
                TubeObstacle(
                    name="stern tube", from_mm=(-10, 0, 30), to_mm=(1510, 0, 46), diameter_mm=50, clearance_mm=12
                ),
            ),
            seat=Seat(x_mm=21, y_mm=-389.4, z_mm=69),
        ),
        tank=LoftedTank(
            sheet="5083/4",
            sections=(
                Section(x_mm=25, corners=_ring(141, 73, 54, 337)),
                Section(x_mm=1475, corners=_ring(185, 88, 189, 187)),
            ),
        ),
        makeup=MakeUp(school="plates", both_sides=True, brake=Brake(length_mm=3000)),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 200, 300),
                _at("vent", "vent front", 120, 420),
                _at("vent", "vent rear", 1330, 600),
                _at("pickup", "feed", 765, 404, floor_clear_mm=15),
                _at("return", "return", 700, 560),
                _at("inspection", "port", 1000, 250),
                _at("sender", "sender", 620, 250),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="air_soap", test_kpa=21, hold_min=15),), altitude_m=4),
    )


def dryer() -> Job:
    """The day tank of a mobile grain dryer, in the bay under its floor: over the auger's tube, beside a gearbox."""
    edges = {
        ("rear left low", "rear right low"): 978, ("front left high", "front right high"): 981,
        ("rear left high", "rear right high"): 979, ("front right low", "rear right low"): 761,
        ("front left high", "rear left high"): 759, ("front right low", "front right high"): 431,
        ("rear left low", "rear left high"): 429,
    }  # fmt: skip
    return Job(
        uid="demo-grain-dryer",
        maker=SHOP,
        brief=Brief(
            name="Grain dryer day tank",
            customer="Aldersole Seeds",
            fluid="diesel",
            demand=CapacityWanted(litres=160),
            moving=True,
            slope_deg=5,
            braking_g=0.15,
        ),
        space=MeasuredBox(
            width=Reading.of(980),
            depth=Reading.of(760),
            height=Reading.of(430),
            floor_diagonals=(Reading.of(1243), Reading.of(1237)),
            readings=tuple(SpaceReading(a=a, b=b, length=Reading.of(mm)) for (a, b), mm in edges.items()),
            way_in=WayIn(
                openings=(
                    Opening(name="floor hatch", axis="z", at_mm=430, corners=((3, 3), (735, 3), (735, 945), (3, 945))),
                )
            ),
            obstacles=(
                TubeObstacle(
                    name="auger tube", from_mm=(-10, 420, 70), to_mm=(770, 420, 70), diameter_mm=110, clearance_mm=15
                ),
                BoxObstacle(
                    name="gearbox",
                    x_mm=560,
                    y_mm=700,
                    z_mm=0,
                    length_mm=215,
                    width_mm=290,
                    height_mm=210,
                    clearance_mm=20,
                ),
            ),
            seat=Seat(x_mm=8, y_mm=10, z_mm=12.5),
        ),
        tank=SaddleTank(
            length_mm=522,
            width_mm=950,
            height_mm=376,
            tunnel="box",
            tunnel_width_mm=152,
            tunnel_height_mm=136,
            left_lobe_mm=332,
            sheet="s235/3",
        ),
        makeup=MakeUp(school="plates"),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 110, 700),
                _at("vent", "vent front", 80, 160),
                _at("vent", "vent rear", 420, 860),
                _at("pickup", "feed", 232, 158, floor_clear_mm=12),
                _at("inspection", "port", 377, 739),
                _at("return", "return", 300, 60),
                _at("balance", "balance left", 200, 290, "left floor"),
                _at("balance", "balance right", 200, 40, "right floor"),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="air_soap", test_kpa=21, hold_min=10),), altitude_m=90),
    )


def orchard() -> Job:
    """A polypropylene rinse tank for an orchard sprayer."""
    return Job(
        uid="demo-orchard-sprayer",
        maker=SHOP,
        brief=Brief(
            name="Orchard sprayer rinse tank",
            customer="Perrifield Fruit",
            fluid="fresh_water",
            demand=CapacityWanted(litres=38),
            braking_g=0.35,
            slope_deg=12,
            hottest_c=30,
        ),
        space=MeasuredBox(
            width=Reading.of(520), depth=Reading.of(340), height=Reading.of(340), clearance=Clearance(below_mm=14.0)
        ),
        tank=ProfileTank(
            length_mm=310,
            width_mm=480,
            height_mm=280,
            sheet="pp/8",
            chamfers=(Chamfer(corner="rear_bottom", along_mm=60, up_mm=60),),
        ),
        makeup=MakeUp(school="plates", joint="corner"),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 110, 120, hole_mm=100, ring_od_mm=140, ring_mm=10),
                _at("vent", "vent front", 40, 300),
                _at("vent", "vent rear", 270, 440),
                _at("drain", "drain", 125, 330, "bottom", ring_mm=10),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="water_fill", test_kpa=0, hold_min=1440),), altitude_m=120),
    )


def dairy() -> Job:
    """A grey-water tank for a mobile cheese dairy, stainless, folded perimeter."""
    return Job(
        uid="demo-mobile-dairy",
        maker=SHOP,
        brief=Brief(
            name="Mobile dairy grey water",
            customer="Whinlow Creamery",
            fluid="grey_water",
            demand=CapacityWanted(litres=95),
            braking_g=0.4,
            slope_deg=8,
        ),
        space=MeasuredBox(width=Reading.of('38"'), depth=Reading.of('23 1/2"'), height=Reading.of('9 7/8"')),
        tank=ProfileTank(length_mm=575, width_mm=940, height_mm=212, sheet="316/1.5"),
        makeup=MakeUp(school="perimeter", joint="lap", brake=Brake(length_mm=2000, open_ended=True)),
        inside=Inside(
            fittings=(
                _at("filler", "inlet", 100, 140, hole_mm=40, ring_od_mm=64),
                _at("vent", "vent front", 50, 330),
                _at("vent", "vent rear", 520, 860),
                _at("inspection", "port", 430, 200),
                _at("drain", "drain", 250, 700, "bottom", hole_mm=51, ring_od_mm=80),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="water_fill", test_kpa=0, hold_min=1440),), altitude_m=120),
        own_parts=tuple(
            OwnPart.model_validate(part)
            for part in own_parts_of(
                "plate, 80 x 60 x 1.5, hole in the left cross-member, 2\n"
                "tab, 50 x 30 x 3, strap ends, 4\n"
                "angle, 30x30x3 x 940, under the front and rear edge, 2\n"
                "angle, 30x30x3 x 540, between them, 3"
            )
        ),
    )


def frost_fan() -> Job:
    """The day tank of a frost-fan engine, and a recovery vessel's arithmetic in its brief."""
    return Job(
        uid="demo-frost-fan",
        maker=SHOP,
        brief=Brief(
            name="Frost-fan coolant recovery",
            customer="Hallow Vale Vineyard",
            fluid="coolant",
            demand=SystemShare(system_litres=46, share=0.1),
            moving=False,
            braking_g=0,
            slope_deg=3,
            warm_up_k=70,
        ),
        space=MeasuredBox(width=Reading.of(240), depth=Reading.of(190), height=Reading.of(260)),
        tank=ProfileTank(length_mm=160, width_mm=210, height_mm=200, sheet="304/1.5"),
        makeup=MakeUp(school="two_l", joint="corner"),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 80, 60, hole_mm=40, ring_od_mm=60, ring_mm=2),
                _at("vent", "vent front", 35, 160, ring_mm=2),
                _at("vent", "vent rear", 120, 160, ring_mm=2),
                _at("drain", "hose", 80, 105, "bottom", hole_mm=12, ring_od_mm=28, ring_mm=3),
            )
        ),
        proving=ProvingPlan(tests=(PlannedTest(method="air_water", test_kpa=10, hold_min=10),), altitude_m=120),
    )


def punt() -> Job:
    """A petrol tank of glass-fibre for a duck punt: panels laid up on a waxed table, put together and tabbed."""
    return Job(
        uid="demo-duck-punt",
        maker=SHOP,
        brief=Brief(
            name="Duck punt petrol tank",
            customer="Lowmarsh Wildfowlers",
            fluid="petrol",
            demand=CapacityWanted(litres=19),
            braking_g=0.2,
            slope_deg=8,
            hottest_c=35,
            held_by="straps",
        ),
        space=MeasuredBox(width=Reading.of(460), depth=Reading.of(360), height=Reading.of(235)),
        tank=ProfileTank(
            length_mm=310,
            width_mm=420,
            height_mm=180,
            sheet="laminate/7",
            chamfers=(Chamfer(corner="rear_bottom", along_mm=70, up_mm=50),),
        ),
        layup=LayUp.preset("baffle"),
        makeup=MakeUp(school="plates", joint="corner", both_sides=True),
        inside=Inside(
            fittings=(
                _at("filler", "filler", 150, 210, hole_mm=50, ring_od_mm=90, ring_mm=6),
                _at("vent", "vent front", 50, 60, ring_mm=5),
                _at("vent", "vent rear", 250, 360, ring_mm=5),
                _at("pickup", "feed", 70, 330, floor_clear_mm=12),
            )
        ),
        proving=ProvingPlan(
            tests=(
                PlannedTest(method="air_soap", test_kpa=21, hold_min=10),
                PlannedTest(method="soak", test_kpa=0, hold_min=4320),
            ),
            altitude_m=5,
        ),
    )


ALL = {
    "trolley": trolley,
    "sawmill": sawmill,
    "orchard": orchard,
    "vineyard": vineyard,
    "barge": barge,
    "dryer": dryer,
    "dairy": dairy,
    "frost-fan": frost_fan,
    "punt": punt,
}
