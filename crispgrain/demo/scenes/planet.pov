// Close to one planet, the instrument behind it: 2000 x 1500, with Declare=Area=3. View 2 is the planet alone.
#include "orrery.inc"
#if (View = 0)
  object { Orrery rotate y*-14 translate y*0.06 }
  object { Table }
  object { Room }
  // Its rough ground, too fine to be seen from farther off.
  sphere { 0, 0.521
    texture {
      pigment { granite turbulence 0.3 color_map { [0 rgb <0.14,0.035,0.02>] [0.45 rgb <0.45,0.14,0.06>] [1 rgb <0.85,0.45,0.25>] } scale 0.35 }
      normal { granite 0.35 scale 0.2 }
      finish { diffuse 0.8 }
    }
    translate <10.8,9.22,0> rotate y*20 rotate y*-14 translate y*0.06
  }
#end
#if (View = 2)
  sphere { <10.8,9.22,0>, 0.521 rotate y*20 rotate y*-14 translate y*0.06 }
  cylinder { <10.8,7.0,0>, <10.8,8.8,0>, 0.055 rotate y*20 rotate y*-14 translate y*0.06 }
#end
camera { perspective location <13.2,10.6,-5.6> up y*3 right x*4 look_at <9.6,8.7,0> angle 27 }
