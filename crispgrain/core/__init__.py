"""Pixels and numbers. Nothing in here knows of a window or a terminal.

Data flows one way: ``files`` reads a shot, ``meter`` measures it, a ``Treatment``
says what to do, ``stages`` do it, ``render`` schedules them over tiles and
``files`` writes the result.

Pixel conventions: ``float32``, H x W x C, scene-linear unless a name says
otherwise, 1.0 = white, values outside 0..1 kept until output, linear
ITU-R BT.2020 primaries with a D65 white point.
"""
