"""Small recipes around one node: for preparing kernels, for tests over all nodes, and for pictures."""

from __future__ import annotations

from gelande.core.recipe.site import Site

from .core.recipe import param as P


def sample_recipe(kind: str, site=None):
    """A recipe in which every required input of one node is linked to something suitable. Returns (recipe, node id).

    Used to prepare kernels, by the generic tests over all nodes, and for pictures in the documentation."""
    from .core.recipe import graph
    from .core.recipe.model import Recipe
    from .core.recipe.node import spec_of
    from .core.recipe.raster import HEIGHT, MASK
    from .core.recipe.site import Site

    recipe = Recipe(site or Site("Sample"))
    spec = spec_of(kind)
    assert spec is not None, kind
    made: dict[tuple[str, int], tuple[str, str]] = {}

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
        if isinstance(p, P.Pieces) and p.drawn:
            recipe = graph.set_param(recipe, node_id, p.id, sample_pieces(recipe.site, p))
    return recipe, node_id


def sample_pieces(site: Site, param: P.Pieces) -> tuple:
    """Drawn pieces for pictures and tests."""
    w, d, r = site.width, site.depth, site.long_side
    if isinstance(param, P.Strokes):
        return sample_strokes(site, 0.7 if param.piece[1].unit == "%" else 0.02 * r)
    usual = {p.id: p.initial(r) for p in param.piece}
    changes: tuple = ({}, {"rough": 0.02 * r, "profile": "bulging"}, {"cut": True, "feather_side": "outward"})
    if isinstance(param, P.Outlines):
        changes = (changes[0], {**changes[1], "curved": False}, changes[2])
        places: tuple = (
            ((0.12 * w, 0.2 * d), (0.45 * w, 0.12 * d), (0.55 * w, 0.45 * d), (0.25 * w, 0.6 * d)),
            ((0.5 * w, 0.6 * d), (0.9 * w, 0.55 * d), (0.85 * w, 0.92 * d)),
            ((0.3 * w, 0.28 * d), (0.42 * w, 0.3 * d), (0.36 * w, 0.42 * d)),
        )
    else:
        changes = (changes[0], {**changes[1], "form": "box"}, changes[2])
        places = (
            (0.33 * w, 0.36 * d, 0.36 * r, 0.52 * r, 30.0),
            (0.72 * w, 0.74 * d, 0.3 * r, 0.24 * r, 65.0),
            (0.36 * w, 0.36 * d, 0.12 * r, 0.16 * r, 0.0),
        )
    return tuple((*(change.get(k, v) for k, v in usual.items()), place) for change, place in zip(changes, places))


def sample_strokes(site: Site, amount: float) -> tuple:
    """A winding stroke, a broad dab and a hollow, for pictures and tests."""
    w, d, r = site.width, site.depth, site.long_side
    winding = tuple((w * (0.15 + 0.1 * k), d * (0.35 + 0.14 * (-1) ** k)) for k in range(8))
    return (
        (0.05 * r, amount, 0.2, winding),
        (0.16 * r, 1.4 * amount, 0.1, ((0.62 * w, 0.72 * d),)),
        (0.07 * r, -0.8 * amount, 0.4, ((0.3 * w, 0.75 * d), (0.4 * w, 0.82 * d))),
    )
