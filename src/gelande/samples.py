"""Small recipes around one node: for preparing kernels, for tests over all nodes, and for pictures."""

from __future__ import annotations

from .core import param as P


def sample_recipe(kind: str, site=None):
    """A recipe in which every required input of one node is linked to something suitable. Returns (recipe, node id).

    Used to prepare kernels, by the generic tests over all nodes, and for pictures in the documentation."""
    from .core import graph
    from .core.model import Recipe
    from .core.node import spec_of
    from .core.raster import HEIGHT, MASK
    from .core.site import Site

    recipe = Recipe(site or Site("Sample"))
    spec = spec_of(kind)
    made = {}

    def source(data: str, turn: int) -> tuple[str, str]:
        nonlocal recipe
        if (data, turn) in made:
            return made[data, turn]
        if data == HEIGHT:
            params = {"seed": 3} if turn == 0 else {"seed": 8}
            recipe, node_id = graph.add(recipe, ("fractal_noise", "ridge_noise")[turn % 2], params=params)
            made[data, turn] = (node_id, "height")
        else:
            ground = source(HEIGHT, turn)
            recipe, node_id = graph.add(recipe, "height_band" if data == MASK else "colour_ramp")
            recipe = graph.link(recipe, *ground, node_id, "height" if data == MASK else "driver")
            made[data, turn] = (node_id, "mask" if data == MASK else "colour")
        return made[data, turn]

    for turn, port in enumerate(p for p in spec.inputs if not p.optional):
        source(HEIGHT if port.kind == "any" else port.kind, turn)
    recipe, node_id = graph.add(recipe, kind)
    for turn, port in enumerate(p for p in spec.inputs if not p.optional):
        recipe = graph.link(recipe, *source(HEIGHT if port.kind == "any" else port.kind, turn), node_id, port.id)
    for p in spec.params:
        if isinstance(p, P.Strokes):
            recipe = graph.set_param(
                recipe,
                node_id,
                p.id,
                sample_strokes(recipe.site, 1.0 if p.unit == "%" else 0.02 * recipe.site.long_side),
            )
    return recipe, node_id


def sample_strokes(site, amount: float) -> tuple:
    """A winding stroke, a broad dab and a hollow, for pictures and tests."""
    w, d, r = site.width, site.depth, site.long_side
    winding = tuple((w * (0.15 + 0.1 * k), d * (0.35 + 0.14 * (-1) ** k)) for k in range(8))
    return (
        (0.05 * r, amount, 0.2, winding),
        (0.16 * r, 1.4 * amount, 0.1, ((0.62 * w, 0.72 * d),)),
        (0.07 * r, -0.8 * amount, 0.4, ((0.3 * w, 0.75 * d), (0.4 * w, 0.82 * d))),
    )
