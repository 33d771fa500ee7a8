"""An integer linear program, handed to HiGHS.

By its C interface, because its own Python package, and `scipy`, bring numpy: 80 and 220 MB for this one question.
Source: highs_c_api.h, "Highs_passMip" and what stands around it.
"""

from __future__ import annotations

import ctypes
import math
import sys
from collections.abc import Iterable
from functools import cache

from gribble.core.base.errors import package
from gribble.core.records.program import Program, Solved

_ROWS, _MAXIMISE = 2, -1
_FEASIBLE = 2
"""Numbers of the interface: a matrix by rows, the greatest value, and a solution that keeps to all rows."""


def solve(program: Program, seconds: float) -> Solved:
    """The best columns that are found in so many seconds. Raises GribbleError where the solver is not installed."""
    highs = _library()
    model = ctypes.c_void_p(highs.Highs_create())
    try:
        highs.Highs_setBoolOptionValue(model, b"output_flag", 0)
        highs.Highs_setDoubleOptionValue(model, b"time_limit", ctypes.c_double(seconds))
        highs.Highs_setDoubleOptionValue(model, b"mip_rel_gap", ctypes.c_double(0.0))
        _hand_over(highs, model, program)
        highs.Highs_run(model)
        bound, found = ctypes.c_double(math.inf), ctypes.c_int(0)
        highs.Highs_getDoubleInfoValue(model, b"mip_dual_bound", ctypes.byref(bound))
        highs.Highs_getIntInfoValue(model, b"primal_solution_status", ctypes.byref(found))
        columns = (ctypes.c_double * len(program.worths))()
        highs.Highs_getSolution(model, columns, None, None, None)
        return Solved(tuple(columns) if found.value == _FEASIBLE else (), bound.value)
    finally:
        highs.Highs_destroy(model)


def _hand_over(highs: ctypes.CDLL, model: ctypes.c_void_p, program: Program) -> None:
    worths, rows = program.worths, program.rows
    cells = [cell for row in rows for cell in row.factors.items()]
    starts = [0]
    for row in rows[:-1]:
        starts.append(starts[-1] + len(row.factors))
    highs.Highs_passMip(
        model,
        *(len(worths), len(rows), len(cells), _ROWS, _MAXIMISE, ctypes.c_double(0.0)),
        *(_reals(worths), _reals(low for low, _ in program.bounds), _reals(high for _, high in program.bounds)),
        *(_reals(row.least for row in rows), _reals(row.most for row in rows)),
        *(_whole(starts), _whole(column for column, _ in cells), _reals(factor for _, factor in cells)),
        _whole(number < program.whole for number in range(len(worths))),
    )


def _reals(values: Iterable[float]) -> ctypes.Array[ctypes.c_double]:
    values = list(values)
    return (ctypes.c_double * len(values))(*values)


def _whole(values: Iterable[int]) -> ctypes.Array[ctypes.c_int]:
    values = list(values)
    return (ctypes.c_int * len(values))(*values)


@cache
def _library() -> ctypes.CDLL:
    """The solver, loaded once."""
    folder = package("highsbox", "choosing sets for a card").highs_dist_dir()
    file = {"win32": "bin/highs.dll", "darwin": "lib/libhighs.dylib"}.get(sys.platform, "lib/libhighs.so")
    highs = ctypes.CDLL(f"{folder}/{file}")
    highs.Highs_create.restype = ctypes.c_void_p
    return highs
