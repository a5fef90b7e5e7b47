"""Figures of how natural land looks: of its slopes, its roughness, its spectrum and its valleys.

None has a unit, so lands of any relief compare. They look at samples, not at metres: land is compared at about the same
number of samples a side, and 513 is what the bounds were taken at.

"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gelande.kernels.flow import network

#: Sizes in samples: of the blur that featureless ground is told from, of the waves that the spectrum is taken over, of
#: the window for local relief; cells that drain through a trunk valley.
BLUR, WAVES, WINDOW, TRUNK = 3.0, (8, 32), 21, 2000
#: Degrees of slope that little real ground exceeds.
STEEP = 50.0
#: Samples beside the edge that are left out, where a filter of that reach sees none.
NEAR, FAR = 6, 12


@dataclass(frozen=True)
class Likeness:
    """variation: standard deviation over mean of slope; steepest: its 99th percentile over its mean; flat: share of
    slopes under a fifth of the mean; featureless: share of ground whose deviation from a blur is under a quarter of its
    mean; spectrum: exponent of the radial power density (Turcotte 1997); kurtosis: excess, of curvature at a scale of
    1.5 samples; trunk: local relief where large streams run, against its mean; steep: share of ground over 50°."""

    variation: float
    steepest: float
    flat: float
    featureless: float
    spectrum: float
    kurtosis: float
    trunk: float
    steep: float

    #: name, key, low and high of what land has, whether a share
    BOUNDS = (
        ("Slope variation", "variation", 0.45, 0.75, False),
        ("Steepest over mean slope", "steepest", 1.9, 2.8, False),
        ("Flat ground", "flat", 0.0, 0.12, True),
        ("Featureless ground", "featureless", 0.0, 0.06, True),
        ("Spectrum's exponent", "spectrum", 3.3, 4.1, False),
        ("Curvature's kurtosis", "kurtosis", -0.6, 0.6, False),
        ("Relief along trunk streams", "trunk", 0.6, 1.5, False),
        ("Ground over 50°", "steep", 0.0, 0.03, True),
    )

    def rows(self) -> list[tuple[str, str, str, bool]]:
        """(name, value, what land has, inside) of every figure; what cannot be told is no fault."""
        found = []
        for name, key, low, high, fraction in self.BOUNDS:
            value = getattr(self, key)
            if fraction:
                text, land = f"{value * 100:.1f} %", f"under {high * 100:g} %"
            else:
                text, land = f"{value:.2f}", f"{low:g} to {high:g}"
            told = not np.isnan(value)
            found.append((name, text if told else "–", land, not told or bool(low <= value <= high)))
        return found


def _spectrum(h: np.ndarray) -> float:
    """Exponent of the radial power density, of a square without its plane under a Hann window."""
    n = min(h.shape)
    y, x = np.mgrid[0:n, 0:n]
    plane = np.stack([y.ravel(), x.ravel(), np.ones(n * n)], 1)
    a = h[:n, :n] - (plane @ np.linalg.lstsq(plane, h[:n, :n].ravel(), rcond=None)[0]).reshape(n, n)
    window = np.hanning(n)
    power = np.abs(np.fft.fftshift(np.fft.fft2(a * window[:, None] * window))) ** 2
    rate = np.hypot(y - n // 2, x - n // 2) / n
    edges = np.geomspace(1 / WAVES[1], 1 / WAVES[0], 13)
    which = np.digitize(rate, edges)
    inside = (which > 0) & (which < len(edges))
    count = np.bincount(which[inside], minlength=len(edges))[1:]
    mean = np.bincount(which[inside], power[inside], len(edges))[1:] / np.maximum(count, 1)
    good = (count > 0) & (mean > 0)
    if good.sum() < 4:
        return float("nan")
    return -float(np.polyfit(np.log(np.sqrt(edges[:-1] * edges[1:])[good]), np.log(mean[good]), 1)[0])


def _kurtosis(h: np.ndarray) -> float:
    import scipy.ndimage as ndi  # heavy to import

    bent = ndi.gaussian_laplace(h, BLUR / 2)[NEAR:-NEAR, NEAR:-NEAR]
    bent = np.clip(bent, *np.percentile(bent, [0.5, 99.5]))
    spread = bent.std()
    return float((((bent - bent.mean()) / spread) ** 4).mean() - 3) if spread > 0 else float("nan")


def _trunk(h: np.ndarray, dx: float) -> float:
    """Local relief where more than TRUNK cells drain, over its mean."""
    import scipy.ndimage as ndi  # heavy to import

    cells = network(np.ascontiguousarray(h, np.float32), dx)[0].reshape(h.shape) / (dx * dx)
    relief = ndi.maximum_filter(h, WINDOW) - ndi.minimum_filter(h, WINDOW)
    inner = np.zeros(h.shape, bool)
    inner[FAR:-FAR, FAR:-FAR] = True
    large = inner & (cells > TRUNK)
    mean = relief[inner].mean()
    return float(relief[large].mean() / mean) if large.sum() > 20 and mean > 0 else float("nan")


def likeness_of(height: np.ndarray, dx: float) -> Likeness:
    """Figures of a height in metres with samples dx metres apart, at least 65 a side. Raises ValueError for less."""
    import scipy.ndimage as ndi  # heavy to import

    if min(height.shape) < 65:
        raise ValueError("land is told by at least 65 samples a side")
    h = np.asarray(height, np.float64)
    slope = np.hypot(*np.gradient(h, dx))
    inner = slope[2:-2, 2:-2]
    mean = max(float(inner.mean()), 1e-9)
    away = h - ndi.gaussian_filter(h, BLUR)
    rough = np.sqrt(ndi.gaussian_filter(away * away, BLUR))[4:-4, 4:-4]
    return Likeness(
        float(inner.std()) / mean,
        float(np.percentile(inner, 99)) / mean,
        float((inner < 0.2 * mean).mean()),
        float((rough < 0.25 * rough.mean()).mean()) if rough.mean() > 0 else 1.0,
        _spectrum(h),
        _kurtosis(h),
        _trunk(h, dx),
        float((slope > np.tan(np.radians(STEEP))).mean()),
    )
