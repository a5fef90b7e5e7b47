"""Noise, erosion and the view by themselves."""

import numpy as np

from bench.table import best, plain, row


def noise():
    import pyfastnoiselite.pyfastnoiselite as fnl

    from gelande.kernels import noise as N
    from gelande.kernels.bands import set_threads

    shape = (1025, 1025)
    y, x = np.mgrid[0:1025, 0:1025].astype(np.float32) * 4.0
    coords = np.stack([x.ravel(), y.ravel()])

    def peer(kind, octaves):
        p = fnl.FastNoiseLite(1)
        p.noise_type = kind
        p.frequency = 1 / 800
        if octaves > 1:
            p.fractal_type = fnl.FractalType.FractalType_FBm
            p.fractal_octaves = octaves
        return best(lambda: p.gen_from_coords(coords))

    perlin, cellular = peer(fnl.NoiseType.NoiseType_Perlin, 8), peer(fnl.NoiseType.NoiseType_Cellular, 1)
    for threads in (1, 2):
        set_threads(threads)
        row(
            f"fractal noise, 8 octaves, 1025², {threads} thread",
            best(lambda: N.fractal(shape, (0, 4096), 4.0, 800, 8)),
            70 if threads == 2 else None,
            ("pyfastnoiselite, 1 thread", perlin),
        )
        row(
            f"cell noise, two nearest, 1025², {threads} thread",
            best(lambda: N.cells(shape, (0, 4096), 4.0, 100)),
            21 if threads == 2 else None,
            ("pyfastnoiselite, 1 thread", cellular),
        )


def erosion():
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe import graph, model
    from gelande.kernels.noise import forget

    recipe, a = graph.add(model.Recipe(), "fractal_noise", params={"relief": 800.0})
    recipe, b = graph.add(recipe, "rain_erosion")
    recipe = graph.link(recipe, a, "height", b, "height")
    for level, target in ((3, None), (4, 1.5), (5, 4.0), (6, 15.0)):

        def run():
            forget()
            evaluator = Evaluator(Cache(6_000_000_000))
            evaluator.result(Job(recipe), b, level)

        row(
            f"noise and rain erosion, {recipe.site.samples(level)}²", best(run, 2 if level < 6 else 1), target, unit="s"
        )


def view():
    from gelande.kernels.noise import fractal
    from gelande.scene.camera import Camera
    from gelande.scene.relief import Look, Scene, Tones, render, to_pixels

    h = fractal((1025, 1025), (0, 4096), 4.0, 1400, 8) * np.float32(400)
    tones = Tones(((200, 210, 220), (240, 238, 230), (30, 40, 50), (160, 150, 130), (50, 110, 140), (180, 50, 40)))
    row("new height to lit scene, 1025²", best(lambda: Scene(h, 4.0)), 250)
    scene = Scene(h, 4.0, None, Look(contour=20))
    camera = Camera.home(scene.outline, 1.5)
    full = best(lambda: to_pixels(render(scene, camera, 900, 600, tones)[0]), 5)
    half = best(lambda: to_pixels(render(scene, camera, 450, 300, tones)[0]), 5)
    row("full still frame, 900×600", full, 110)
    row("frame while moving, 450×300", half, 40)
    plain("frames a second while moving", f"{1 / half:.0f}", "≥ 25", "met" if half <= 0.04 else "MISSED")
