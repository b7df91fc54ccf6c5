// The store room all round, for an equirectangular picture: 4096 x 2048.
#declare View = 0;
#include "orrery.inc"
object { Orrery translate <0,0.06,30> }
object { Table }
object { Room }
camera { spherical location <0,26,-12> look_at <0,24,30> angle 360 180 }
