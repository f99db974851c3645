"""Simulated apparatus that feeds stand-in instruments over the same protocol as real boards.

One file a rig. A rig is a physical model with imperfections; `server` puts its instruments on
TCP ports; `python -m galena.instruments.rigs NAME` is such a process; `room` plugs rigs in and
out of a bench.
"""

from galena.instruments.rigs.base import Rig
from galena.instruments.rigs.beacon_battery import BeaconBattery
from galena.instruments.rigs.beam_edge import BeamEdge
from galena.instruments.rigs.cocoa import Cocoa
from galena.instruments.rigs.grow_shelf import GrowShelf
from galena.instruments.rigs.lamp_rail import LampRail
from galena.instruments.rigs.lantern_cell import LanternCell
from galena.instruments.rigs.linked_wells import LinkedWells
from galena.instruments.rigs.magnet_tube import MagnetTube
from galena.instruments.rigs.rock_pool import RockPool
from galena.instruments.rigs.shaft_spring import ShaftSpring
from galena.instruments.rigs.slipway_soap import SlipwaySoap
from galena.instruments.rigs.tide_tank import TideTank
from galena.instruments.rigs.two_horns import TwoHorns
from galena.instruments.rigs.weather_hut import WeatherHut
from galena.instruments.rigs.wind_duct import WindDuct

RIGS: dict[str, type[Rig]] = {
    rig.key: rig
    for rig in (
        TideTank,
        LampRail,
        MagnetTube,
        Cocoa,
        SlipwaySoap,
        LanternCell,
        GrowShelf,
        ShaftSpring,
        WindDuct,
        TwoHorns,
        LinkedWells,
        RockPool,
        BeamEdge,
        BeaconBattery,
        WeatherHut,
    )
}
