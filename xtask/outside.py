"""Reads a table with OpenColorIO and runs it on raw f32 RGBA, for tests and benchmarks.

usage: outside.py apply [TABLE IN.raw OUT.raw]...     tetrahedral, float
       outside.py view CONFIG SPACE DISPLAY VIEW IN.raw OUT.raw       a view of a configuration
       outside.py time TABLE IN.raw ROUNDS            nanoseconds a pixel, one thread: the median
"""
import sys
import time

import numpy as np
import PyOpenColorIO as ocio


def processor(table):
    # A Common LUT Format file says itself how it is read; corrections are clipped as the ASC says.
    between = ocio.INTERP_DEFAULT if table.endswith(".clf") else ocio.INTERP_TETRAHEDRAL
    transform = ocio.FileTransform(table, interpolation=between)
    transform.setCDLStyle(ocio.CDL_ASC)
    made = ocio.Config.CreateRaw().getProcessor(transform)
    return made.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)


def view(config, space, display, name, source, target):
    """A picture of a colour space as a view of a display shows it."""
    config = ocio.Config.CreateFromFile(config)
    config.validate()
    cpu = config.getProcessor(space, display, name, ocio.TRANSFORM_DIR_FORWARD).getDefaultCPUProcessor()
    pixels = np.fromfile(source, dtype=np.float32)
    cpu.applyRGBA(pixels)
    pixels.tofile(target)


def main():
    if sys.argv[1] == "view":
        view(*sys.argv[2:8])
        return
    if sys.argv[1] == "apply":
        # As many tables with their pixels as are named: the library takes longer to load than to work.
        for table, source, target in zip(sys.argv[2::3], sys.argv[3::3], sys.argv[4::3]):
            pixels = np.fromfile(source, dtype=np.float32)
            processor(table).applyRGBA(pixels)
            pixels.tofile(target)
        return
    table, source = sys.argv[2:4]
    pixels = np.fromfile(source, dtype=np.float32)
    cpu = processor(table)
    took = []
    for _ in range(int(sys.argv[4])):
        work = pixels.copy()
        begun = time.perf_counter()
        cpu.applyRGBA(work)
        took.append(time.perf_counter() - begun)
    print(sorted(took)[len(took) // 2] * 1e9 / (len(pixels) / 4))


main()
