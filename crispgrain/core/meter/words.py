"""A reading in plain words."""

from __future__ import annotations

from .reading import Blur, Noise, Reading

SURE, UNSURE = 0.7, 0.3
PRINT_PPI = (300, 200)


def certainty(confidence: float) -> str:
    """How sure a finding is, to put behind it; nothing if it is sure."""
    if confidence >= SURE:
        return ""
    return " (fairly sure)" if confidence >= UNSURE else " (a guess)"


def headline(reading: Reading) -> str:
    """The one line that matters most, for the contact sheet."""
    blur = reading.blur
    if reading.drawn:
        return "drawing or letters"
    if reading.size.lost:
        return f"{max(round(100 * reading.size.lost), 1)} % lost"
    if blur.kind == "motion":
        return f"motion {blur.length:.0f} px"
    if blur.kind == "shake":
        return f"shake {blur.length:.0f} px" if blur.confidence >= UNSURE else "shake"
    if blur.kind == "defocus":
        return f"defocus {blur.radius:.1f} px"
    if reading.noise.luminance >= 1:
        return f"noise {reading.noise.luminance:.0f} / {reading.noise.colour:.0f}"
    if blur.softness >= 0.8:
        return f"soft {blur.softness:.1f} px"
    return f"{reading.size.width} × {reading.size.height}"


def noise_words(noise: Noise) -> list[str]:
    """How much noise there is, and where in the tones."""
    lines = [
        f"noise {noise.luminance:.1f} luminance, {noise.colour:.1f} colour, "
        f"standard deviation in 8-bit steps{certainty(noise.confidence)}"
    ]
    if noise.luminance >= 1 and len(noise.luminance_at) > 2 and max(noise.luminance_at) > 1.3 * min(noise.luminance_at):
        at = noise.levels[max(range(len(noise.levels)), key=lambda i: noise.luminance_at[i])]
        where = "shadows" if at < 0.35 else "middle tones" if at < 0.7 else "highlights"
        lines.append(f"strongest in the {where}: {max(noise.luminance_at):.1f}")
    if noise.corner > 1:
        lines.append(f"up to {noise.corner:.1f} times as strong in the corners, which the camera has brightened")
    if noise.shots > 1:
        lines.append(f"as {noise.shots} shots of this camera tell together")
    if noise.iso is not None:
        lines.append(f"as this camera has at about ISO {float(f'{noise.iso:.2g}'):.0f}")
    return lines


def blur_words(blur: Blur) -> str:
    """What kind of blur, how far, and in which direction."""
    sure = certainty(blur.confidence)
    match blur.kind:
        case "motion":
            return f"motion over {blur.length:.1f} px at {blur.angle:.0f}°{sure}"
        case "shake":
            return "shake" + (f" over roughly {blur.length:.0f} px" if blur.confidence >= UNSURE else "") + sure
        case "defocus":
            return f"defocus, disc of radius {blur.radius:.1f} px{sure}"
        case "soft lens":
            return f"soft lens, sharpest parts blurred by {blur.softness:.1f} px{sure}"
    return f"no blur{sure}"


def compression_words(reading: Reading) -> str:
    """JPEG quality and where it was read; empty if there is no trace of JPEG."""
    jpeg = reading.jpeg
    if jpeg.quality is None:
        return ""
    source = "by its table" if jpeg.found_in == "table" else "by traces in its pixels"
    return f"saved as JPEG of quality {jpeg.quality:.0f}, {source}{certainty(jpeg.confidence)}"


def tone_words(reading: Reading) -> list[str]:
    """Tones lost at either end, if any, and how dark or light the shot is."""
    tones = reading.tones
    lines = [f"{share:.1%} of pixels {what}" for share, what in (
        (tones.clipped, "clipped in white"), (tones.blocked, "black without detail")) if share >= 0.001]  # fmt: skip
    return [*lines, f"median {abs(tones.exposure):.1f} stops {'above' if tones.exposure > 0 else 'below'} mid grey"]


def history_words(reading: Reading) -> list[str]:
    """Traces of earlier work on the picture."""
    history, lines = reading.history, []
    if history.enlarged > 1:
        lines.append(f"enlarged before, about {history.enlarged:.1f} times{certainty(history.confidence)}")
    if history.sharpened:
        lines.append(f"sharpened before: edges overshoot{certainty(history.confidence)}")
    return lines


def size_words(reading: Reading) -> list[str]:
    """Pixels, and the largest print at two resolutions."""
    size = reading.size
    prints = []
    for ppi in PRINT_PPI:
        width, height = size.print_size(ppi)
        prints.append(f"{width:.0f} × {height:.0f} cm at {ppi} ppi")
    return [f"{size.width} × {size.height} px", f"largest print {', '.join(prints)}"]


def all_words(reading: Reading) -> list[str]:
    """The whole reading, a line for each finding."""
    blur, compression = blur_words(reading.blur), compression_words(reading)
    found = [*size_words(reading), *noise_words(reading.noise), blur, compression]
    return [line for line in (*found, *tone_words(reading), *history_words(reading)) if line]
