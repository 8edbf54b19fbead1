"""Cloth, soft bodies and ropes: vertices joined by elements, moved by one implicit step a substep.

Arrays run over the vertices of all deformable bodies one after another (N), in the order of the bodies.
"""
