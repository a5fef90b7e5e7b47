"""Water colour: shallow to deep, foam and the wet edge of the shore."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import colour_in, colour_out, mask_in, node
from gelande.kernels.curves import ramp_table
from gelande.kernels.standing import under_water

WATER = ((0.0, 0.44, 0.55, 0.50), (0.25, 0.25, 0.42, 0.44), (0.6, 0.12, 0.28, 0.36), (1.0, 0.07, 0.18, 0.27))


@node(
    "water_colour",
    "Water colour",
    "Colour",
    "Lays water over a colour: shallow to deep, with foam and a wet edge at the shore.",
    inputs=(
        colour_in("under", "Ground"),
        mask_in("water", "Water", False, "Where water stands."),
        mask_in("depth", "Depth", True, "How deep it is: black at the shore, white where it is deepest."),
        mask_in("shore", "Shore", True, "White at the water's edge."),
    ),
    outputs=(colour_out(),),
    params=(
        P.ramp("ramp", "Water", WATER, "From shallow at the left to deep at the right."),
        P.fraction("clear", "Clearness", 0.5, "How much of the bed is seen in shallow water."),
        P.fraction("wet", "Wet edge", 0.35, "How much darker the ground is at the shore."),
        P.fraction("foam", "Foam", 0.15, "How white the water's edge is."),
    ),
    base="under",
    figure="{clear} clear",
    keywords=("sea", "lake", "river", "ocean", "shallow", "deep", "foam", "beach", "wet"),
    starting_points=(
        ("Tarn", {"clear": 0.3, "foam": 0.0}),
        ("Clear sea", {"clear": 0.8, "foam": 0.3}),
        ("Silty stream", {"ramp": ((0.0, 0.50, 0.46, 0.36), (1.0, 0.33, 0.31, 0.25)), "clear": 0.2, "foam": 0.05}),
    ),
)
def water_colour(ctx: Context) -> Arrays:
    """The bed shows through water by what is left of the light at its depth (Beer and Lambert); the ground is darkened
    where the shore is wet, and the water's edge is lightened."""
    p = ctx.p
    how = (ramp_table(p.ramp), 0.6, p.clear, p.wet, p.foam, ctx.stop)
    made = under_water(*(ctx.input(port) for port in ("under", "water", "depth", "shore")), *how)
    return {"colour": made}
