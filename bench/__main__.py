"""Prints a table of speeds, each with its target and, where there is one, the ratio to a peer run in the same process.

Run: PYTHONPATH=src .venv/bin/python -m bench [name ...]; names: noise erosion view demo window detail graph engine
weather land form first masks colours variants keep deliver near rivers
"""

import sys

from bench.table import show


def main():
    from bench import (
        colours,
        deliver,
        demo,
        detail,
        engine,
        first,
        form,
        graph,
        keep,
        kernels,
        masks,
        near,
        rivers,
        variants,
        weather,
        window,
    )

    parts = {
        "noise": kernels.noise,
        "erosion": kernels.erosion,
        "view": kernels.view,
        "demo": demo.run,
        "window": window.run,
        "detail": detail.run,
        "graph": graph.run,
        "engine": engine.run,
        "weather": weather.run,
        "land": weather.land,
        "form": form.every_node,
        "first": first.run,
        "masks": masks.run,
        "colours": colours.run,
        "variants": variants.run,
        "keep": keep.run,
        "deliver": deliver.run,
        "near": near.run,
        "rivers": rivers.run,
    }
    for name in sys.argv[1:] or parts:
        parts[name]()
        show(name)


if __name__ == "__main__":
    main()
