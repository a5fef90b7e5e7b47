"""Colour adjust: hue, saturation, lightness and contrast of a colour."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import colour_in, colour_out, node
from gelande.kernels.curves import table
from gelande.kernels.oklab import adjusted


@node(
    "colour_adjust",
    "Colour adjust",
    "Colour",
    "Turns hues, and changes how saturated, how light and how contrasted a colour is.",
    inputs=(colour_in("under", "Colour"),),
    outputs=(colour_out(),),
    params=(
        P.degrees("hue", "Hue", 0, "Turns all hues.", (-180, 180)),
        P.fraction("saturation", "Saturation", 1.0, "Below 100 % towards grey.", (0.0, 4.0), (0.0, 2.0)),
        P.fraction("lightness", "Lightness", 0.0, "Makes all lighter, or darker below zero.", (-1.0, 1.0), (-0.4, 0.4)),
        P.fraction("contrast", "Contrast", 1.25, "About middle lightness.", (0.0, 4.0), (0.2, 2.0)),
        P.curve(
            "curve", "Lightness curve", ((0.0, 0.0), (1.0, 1.0)), "From lightness at the foot to lightness at the side."
        ),
    ),
    base="under",
    figure="{contrast} contrast",
    keywords=("hue", "saturation", "brightness", "contrast", "curve", "tint", "grade", "correct", "vibrance", "hsl"),
    starting_points=(
        ("More contrast, less colour", {"contrast": 1.35, "saturation": 0.8}),
        ("Autumn", {"hue": -28, "saturation": 1.15}),
        ("Faded", {"contrast": 0.75, "saturation": 0.6, "lightness": 0.06}),
    ),
)
def colour_adjust(ctx: Context) -> Arrays:
    """In OKLab (Ottosson 2020), where hue stays when lightness and contrast change; a colour that no screen can show
    keeps its hue and lightness and gives up saturation."""
    p = ctx.p
    made = adjusted(ctx.input("under"), p.hue, p.saturation, p.lightness, p.contrast, table(p.curve), ctx.stop)
    return {"colour": made}
