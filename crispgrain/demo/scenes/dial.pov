// Close to the dial and its knurled knob: 4000 x 3000.
#include "orrery.inc"
#if (View = 0)
  object { Orrery rotate y*-172 translate y*0.06 }
  object { Table }
  object { Plate rotate x*-24 rotate y*-16 translate <2.6,0.62,-17.6> }
  object { Knob rotate y*20 translate <-6.6,0.06,-17.0> }
  object { Room no_image }
#end
#if (View = 1)
  object { Room }
  object { Table }
#end
#if (View = 2) object { Plate rotate x*-24 rotate y*-16 translate <2.6,0.62,-17.6> } #end
camera { perspective location <-4,17,-35> up y*3 right x*4 look_at <-0.4,2.2,-11.6> angle 38 }
