"""What the landscapes have in common: the tone of their ground, and what all of them are given in the end."""
# ruff: noqa: E501

from dataclasses import replace

import numpy as np

from gelande.core.evaluate import query
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe.cameras import keep
from gelande.core.recipe.choices import FigureChoice
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import NamedCamera


def toned(m, ground, rain=None, flow=None, **settings) -> str:
    """The grey along which the colours of a layer run: lighter on bulges, darker in hollows and where it is wet."""
    links = {"height": ground} | ({"flow": flow} if flow else {})
    links |= {port: (rain, port) for port in ("cut", "fill")} if rain else {}
    given = {"height_weight": 0.1, "slope_weight": 0.3, "bulge_weight": 0.5, "open_weight": 0.35, "noise_weight": 0.3}
    return m.add("ground_tone", "Tone of the ground", {**given, "size": 90, "noise_size": 70, **settings}, **links)


def finished(m, cameras, *weathered) -> object:
    """Cameras, figures and files of a landscape. cameras: (name, share east, share north, metres over the ground,
    heading, pitch); weathered: (name, node, output) of masks that are delivered, too."""
    recipe, site, evaluator = m.recipe, m.recipe.site, Evaluator()
    land = query.last_of(recipe)
    (ground, port), (colour, output) = land["height"], land["colour"]
    # what one sees: the ground under the colours, and the water on it
    height, water = query.ground_under(evaluator, Job(recipe), colour, output, 3)
    seen = height if water is None else height + np.maximum(water, 0)
    for name, east, north, over, heading, pitch in cameras:
        rows, columns = seen.shape
        r, c = min(rows - 1, round((1 - north) * (rows - 1))), min(columns - 1, round(east * (columns - 1)))
        near = seen[max(0, r - 1) : r + 2, max(0, c - 1) : c + 2]
        up = round(float(near.max()) + over, 1)
        kept = NamedCamera(
            name, round(east * site.width, 1), round(north * site.depth, 1), up, float(heading), float(pitch)
        )
        recipe = keep(recipe, kept)
    files = (
        Deliverable("Height", ground, port, "height_tiff32"),
        Deliverable("Height for engine", ground, port, "height_png16"),
        Deliverable("Colour", colour, output, "colour_png8"),
        *(Deliverable(name, node, mask, "mask_png8") for name, node, mask in weathered),
    )
    figures = (FigureChoice("relief"), FigureChoice("walkable", low=0.3), FigureChoice("area"), FigureChoice("flat"))
    m.recipe = replace(recipe, deliverables=files, figures=figures, author="the makers of Gelande")
    return m


def banded(colours: str, times: int) -> str:
    """Colours again and again, as beds lie on beds."""
    return " ".join([colours] * times)
