// The whole instrument from the front: 4000 x 3000.
#include "orrery.inc"
#if (View = 0)
  object { Orrery rotate y*-14 translate y*0.06 }
  object { Table }
  object { Plate rotate x*-38 rotate y*9 translate <5.5,0.85,-17.2> }
  object { Knob rotate y*20 translate <-12.6,0.06,-13.8> }
  object { Knob scale 0.75 rotate z*90 rotate y*-35 translate <-8.6,0.95,-16.6> }
  object { Room no_image }
#end
#if (View = 1)
  object { Room }
  object { Table }
#end
#if (View = 2)
  object { Orrery rotate y*-14 translate y*0.06 }
  object { Plate rotate x*-38 rotate y*9 translate <5.5,0.85,-17.2> }
  object { Knob rotate y*20 translate <-12.6,0.06,-13.8> }
  object { Knob scale 0.75 rotate z*90 rotate y*-35 translate <-8.6,0.95,-16.6> }
#end
camera { perspective location <3,19,-52> up y*3 right x*4 look_at <-0.4,5.6,-3> angle 39 }
