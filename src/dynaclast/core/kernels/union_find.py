"""Union-find over numbered nodes: the lowest number of a set stands for it, so that the same sets always have the same
names (Tarjan 1975, doi 10.1145/321879.321884, with path halving).
"""

from __future__ import annotations

from ..arrays import Index
from . import kernel


@kernel
def find_root(parent: Index, node: int) -> int:
    """The node that stands for the set of ``node``; halves the way there.

    parent : (n,) int32, parent of each node, itself at a root
    """
    while parent[node] != node:
        parent[node] = parent[parent[node]]
        node = parent[node]
    return node


@kernel
def unite(parent: Index, first: int, second: int) -> None:
    """Let the lower root of two sets stand for both.

    parent : (n,) int32
    """
    first, second = find_root(parent, first), find_root(parent, second)
    if first != second:
        parent[max(first, second)] = min(first, second)
