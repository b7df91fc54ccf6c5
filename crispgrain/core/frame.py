"""What is known of the pixels between two steps of a chain."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from crispgrain.geometry import Size

from .meter.reading import Noise
from .optics import Optics
from .transform import Transform

# Share of the softness that is gone where all of it was to be undone: what the meter finds after sharp net and lens
# softness at 100 %, on five training photographs blurred by sigmas of 0.6 to 1.6 px (medians 0.41 and 0.59).
UNDONE = 0.5


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
    softness : float
        Sigma of the blur that is left, as far as is known, in px of this frame.
    mosaic : bool
        Whether there is one value a pixel, as sensors give them.
    to_source : Transform
        From coordinates of this frame to those of the source.
    wraps : bool
        Whether the left and the right edge meet.
    optics : Optics or None
        What of a lens the resampling that leads here undoes.
    grey : bool
        Whether all is grey, and is to stay so: no step may bring colours in.
    """

    size: Size
    noise: Noise
    cleaned: float = 0.0
    softness: float = 0.0
    mosaic: bool = False
    to_source: Transform = field(default_factory=Transform)
    wraps: bool = False
    optics: Optics | None = None
    grey: bool = False

    @property
    def stretch(self) -> float:
        """How many px of the source one of this frame covers, in each direction, in its middle."""
        return self.to_source.stretch_at(self.size.width / 2, self.size.height / 2)

    def sized(self, size: Size) -> Frame:
        """The same picture in another number of pixels."""
        stretch = Transform.scale(self.size.width / size.width, self.size.height / size.height)
        softness = self.softness / stretch.stretch
        moved = replace(self, size=size, to_source=self.to_source.after(stretch), softness=softness)
        return moved if size != self.size else self

    def brightened(self, stops: float) -> Frame:
        """After linear light was multiplied by ``2 ** stops``."""
        return replace(self, noise=self.noise.brightened(stops)) if stops else self

    def denoised(self, strength: float, demosaiced: bool = False) -> Frame:
        """After so much of the noise that is there (1: all of it) was to be taken off."""
        cleaned = 1 - (1 - self.cleaned) * (1 - min(strength, 1.0))
        return replace(self, cleaned=cleaned, mosaic=self.mosaic and not demosaiced)

    def sharpened(self, strength: float) -> Frame:
        """After so much of the blur (1: all of it) was to be undone."""
        return replace(self, softness=self.softness * (1 - UNDONE * min(strength, 1.0)))

    def left(self, least: float) -> float:
        """Share of the noise to reckon with, if ``least`` of it stays however strongly it is taken off."""
        return 1 - (1 - least) * self.cleaned
