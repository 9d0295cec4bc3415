"""Banks and hops stand in one table each: every reader has a row for every kind, every hop of any rig fits its row."""

from typing import get_args

import networkx
from hypothesis import given

from iskelo.core.levels.along import LEVELS, levels_along
from iskelo.core.planner.stages import STAGES
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import BANK_TABLE, CLOCK_BANKS, COLUMNS, Bank
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import Ahead, passing_routes
from iskelo.core.timing.delays import DELAYS, delay_of
from iskelo.core.wiring.graph import compile_graph
from iskelo.core.wiring.hops import DEVICE_HOPS, HOPS, HopKind
from mixers import full_desk
from rigs import any_rig


def test_every_reader_has_a_row_for_every_kind_of_hop() -> None:
    kinds = set(get_args(HopKind))
    for reader in (HOPS, DELAYS, LEVELS, STAGES):
        assert reader.keys() == kinds


def test_every_bank_has_a_row_and_a_column_where_sound_passes() -> None:
    assert BANK_TABLE.keys() == set(get_args(Bank))
    for bank, row in BANK_TABLE.items():
        assert (row.column in COLUMNS) == (row.carries == "audio")
        assert (bank in CLOCK_BANKS) == (row.carries == "clock")
    joined = {bank for row in HOPS.values() for bank in row.starts | row.ends}
    assert joined == {bank for bank, row in BANK_TABLE.items() if row.carries == "audio"}


def test_leads_join_what_can_be_plugged_and_nothing_else_does_so_by_itself() -> None:
    for row in HOPS.values():
        if row.whose == "lead":
            assert all(BANK_TABLE[bank].plugged for bank in row.starts | row.ends)


def test_units_meet_along_every_way_that_the_table_allows() -> None:
    """What is behind one hop in dBFS is before the next one in dBFS, from converter to converter."""
    for row in HOPS.values():
        for onward in HOPS.values():
            if row.ends & onward.starts:
                assert "=" in (row.after, onward.before) or row.after == onward.before


@given(any_rig(busy=True) | full_desk(back=True))
def test_every_hop_of_any_rig_fits_its_row(rig: Rig) -> None:
    found = index(rig)
    graph = compile_graph(found)
    for edge in graph.edges():
        row = HOPS[edge.kind]
        assert edge.start.bank in row.starts
        assert edge.end.bank in row.ends
        match row.whose:
            case "lead":
                assert edge.owner in found.patches
            case "interface":
                assert edge.owner in {box.id for box in found.boxes}
            case "program":
                assert edge.owner in {program.id for program in found.programs()}
            case "track" | "item":
                assert edge.owner in found.items
            case "mixer":
                assert edge.owner in found.mixing
        assert (edge.kind in DEVICE_HOPS) == (edge.owner in found.opened)


@given(any_rig(busy=True) | full_desk())
def test_what_does_not_delay_by_the_table_adds_nothing_and_ways_are_all_there_are(rig: Rig) -> None:
    """Ways against networkx.all_simple_edge_paths over the hops that pass."""
    found = index(rig)
    graph = compile_graph(found)
    whole = networkx.MultiDiGraph()
    for edge in graph.edges():
        if edge.block is None:
            whole.add_edge(edge.start, edge.end)
    for start in found.starts():
        for end in [port for port in whole.nodes if port.bank in ("track", "in")] if start in whole else ():
            ways = passing_routes(graph, start, end, Ahead(graph))
            if len(ways) < 24:
                assert len(ways) == len(list(networkx.all_simple_edge_paths(whole, start, end)))
            for way in ways:
                still = [edge for edge in way.edges if HOPS[edge.kind].delay == "nothing"]
                assert delay_of(still, found).terms == ()
                steps = levels_along(way.edges, found)
                for step, edge in zip(steps[1:], way.edges, strict=True):
                    assert HOPS[edge.kind].after in (step.unit, "=")
