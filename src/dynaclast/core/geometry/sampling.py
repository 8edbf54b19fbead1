"""Points drawn at random on surfaces."""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from .mesh import TriMesh, triangle_normals


def scatter_on(mesh: TriMesh, count: int, rng: np.random.Generator) -> Array:
    """``count`` points drawn evenly from the surface of a mesh, (count, 3) [m].

    Source: Osada et al. 2002, "Shape distributions" (doi 10.1145/571647.571648), of points in a triangle.
    """
    area = triangle_normals(mesh)[1]
    own = mesh.vertices[mesh.faces][rng.choice(len(area), count, p=area / area.sum())]
    root, along = np.sqrt(rng.random((count, 1))), rng.random((count, 1))
    return (1.0 - root) * own[:, 0] + root * ((1.0 - along) * own[:, 1] + along * own[:, 2])
