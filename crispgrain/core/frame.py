"""What is known of the pixels between two steps of a chain."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from crispgrain.geometry import Size

from .meter.reading import Noise
from .transform import Transform


@dataclass(frozen=True)
class Frame:
    """What a step is told of the pixels it gets, and hands on of those it gives.

    Attributes
    ----------
    size : Size
        Of the whole picture at this step.
    noise : Noise
        By tone as the tones are here; as if nothing of it had been taken off.
    cleaned : float
        Share of that noise that a denoiser was to take off everywhere, 0 to 1.
    mosaic : bool
        Whether there is one value a pixel, as sensors give them.
    to_source : Transform
        From coordinates of this frame to those of the source.
    wraps : bool
        Whether the left and the right edge meet.
    """

    size: Size
    noise: Noise
    cleaned: float = 0.0
    mosaic: bool = False
    to_source: Transform = field(default_factory=Transform)
    wraps: bool = False

    def sized(self, size: Size) -> Frame:
        """The same picture in another number of pixels."""
        stretch = Transform.scale(self.size.width / size.width, self.size.height / size.height)
        return replace(self, size=size, to_source=self.to_source.after(stretch)) if size != self.size else self

    def brightened(self, stops: float) -> Frame:
        """After linear light was multiplied by ``2 ** stops``."""
        return replace(self, noise=self.noise.brightened(stops)) if stops else self

    def denoised(self, strength: float, demosaiced: bool = False) -> Frame:
        """After so much of the noise that is there (1: all of it) was to be taken off."""
        cleaned = 1 - (1 - self.cleaned) * (1 - min(strength, 1.0))
        return replace(self, cleaned=cleaned, mosaic=self.mosaic and not demosaiced)

    def left(self, least: float) -> float:
        """Share of the noise to reckon with, if ``least`` of it stays however strongly it is taken off."""
        return 1 - (1 - least) * self.cleaned
