"""What tests of merge are made of, for others too."""

from __future__ import annotations

MTL = """newmtl wood
Kd 1 0.5 0.25
Ns 10
map_Kd -s 2 2 1 wood.png
newmtl wool
Kd 1 1 1
map_Kd wool.png
newmtl glass
Kd 0.1 0.2 0.3
d 0.5
"""


OBJ = """mtllib box.mtl
o Box
v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1
vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1
usemtl wood
f 1/1 2/2 3/3 4/4
usemtl wool
f 5/1 6/2 7/3 8/4
usemtl glass
f 1/1 2/2 6/3 5/4
"""
