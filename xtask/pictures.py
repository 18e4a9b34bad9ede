"""Pictures of other programs for the tests of the picture formats, and what other programs read in ours.

make FOLDER   writes one picture of each kind with OpenImageIO, tifffile and ImageMagick, and kinds.json: what each should
              read as (float samples, red first), or the words of its refusal
facts FILE    what OpenImageIO reads beside the pixels of a file, as JSON
time FILE...  how long OpenImageIO takes to decode files in two processes, in milliseconds
"""

import json
import subprocess
import sys
import time
from multiprocessing import Pool

import numpy as np
import OpenImageIO as oiio
import tifffile

W, H = 37, 11
rng = np.random.default_rng(5)
UNIT = rng.random((H, W, 4)).astype(np.float32)
LIGHT = (UNIT * 8 - 1).astype(np.float32)


def codes(samples, most):
    return np.round(samples * most).astype(np.uint16 if most > 255 else np.uint8)


def make(folder):
    kinds = {}

    def expect(name, samples, within=1e-6, **beside):
        samples = np.asarray(samples, np.float32)
        if samples.ndim == 2:
            samples = samples[..., None]
        rgb = samples[..., :3] if samples.shape[-1] >= 3 else np.repeat(samples[..., :1], 3, axis=-1)
        alpha = samples[..., -1:] if samples.shape[-1] in (2, 4) else np.ones((*samples.shape[:2], 1))
        pixels = np.concatenate([rgb, alpha], -1).astype(np.float32)
        kinds[name] = {
            "pixels": [round(float(v), 7) for v in pixels.ravel()],
            "within": within,
            "alpha": samples.shape[-1] in (2, 4),
            **beside,
        }

    def refuse(name, words):
        kinds[name] = {"refused": words}

    def tiff(name, data, **how):
        tifffile.imwrite(f"{folder}/{name}", data, **how)

    eight, sixteen = codes(UNIT, 255), codes(UNIT, 65535)
    for name, how in {
        "big.tif": {"bigtiff": True},
        "planar.tif": {"planarconfig": "separate"},
        "tiled.tif": {"tile": (16, 16)},
        "planar-tiled.tif": {"planarconfig": "separate", "tile": (16, 16)},
        "big-endian.tif": {"byteorder": ">"},
        "deflate.tif": {"compression": "zlib", "predictor": True},
        "rows.tif": {"rowsperstrip": 3},
    }.items():
        data = sixteen[..., :3]
        if "separate" in how.get("planarconfig", ""):
            data = np.moveaxis(data, -1, 0)
        tiff(name, data, photometric="rgb", **how)
        expect(name, sixteen[..., :3] / 65535)
    tiff("alpha.tif", eight, photometric="rgb", extrasamples=["unassalpha"])
    expect("alpha.tif", eight / 255)
    tiff("grey.tif", sixteen[..., 0], photometric="minisblack")
    expect("grey.tif", sixteen[..., 0] / 65535)
    tiff("white-is-zero.tif", eight[..., 0], photometric="miniswhite")
    expect("white-is-zero.tif", 1 - eight[..., 0] / 255)
    for name, kind in {"half.tif": np.float16, "float.tif": np.float32, "double.tif": np.float64}.items():
        tiff(name, LIGHT[..., :3].astype(kind), photometric="rgb")
        expect(name, LIGHT[..., :3].astype(kind))
    tiff("planar-float.tif", np.moveaxis(LIGHT[..., :3], -1, 0), photometric="rgb", planarconfig="separate")
    expect("planar-float.tif", LIGHT[..., :3])
    tiff("wide.tif", sixteen[..., :3], photometric="rgb", resolution=(100, 200), resolutionunit=2)
    expect("wide.tif", sixteen[..., :3] / 65535, aspect=2.0)
    tiff("turned.tif", eight[..., :3], photometric="rgb", extratags=[(274, 3, 1, 8, True)])
    expect("turned.tif", eight[..., :3] / 255, orientation=8)
    tiff("cmyk.tif", eight, photometric="separated")
    refuse("cmyk.tif", "CMYK")
    tiff("palette.tif", eight[..., 0], photometric="palette", colormap=np.zeros((3, 256), np.uint16))
    refuse("palette.tif", "palette")
    tiff("signed.tif", sixteen[..., :3].astype(np.int16), photometric="rgb")
    refuse("signed.tif", "signed")

    def oiio_write(name, data, channels=None, kind="float", **attributes):
        data = np.ascontiguousarray(data)
        spec = oiio.ImageSpec(W, H, data.shape[-1], kind)
        if channels:
            spec.channelnames = channels
        for key, value in attributes.items():
            if key in ("x", "y", "full_x", "full_y", "full_width", "full_height"):
                setattr(spec, key, value)
            else:
                spec.attribute(key.replace("__", ":"), value)
        out = oiio.ImageOutput.create(f"{folder}/{name}")
        assert out and out.open(f"{folder}/{name}", spec), oiio.geterror()
        assert out.write_image(data), out.geterror()
        out.close()

    half = LIGHT.astype(np.float16).astype(np.float32)
    for compression in ["none", "rle", "zip", "zips", "piz", "pxr24"]:
        name = f"{compression}.exr"
        oiio_write(name, half, kind="half", compression=compression)
        expect(name, half)
    oiio_write("luminance.exr", LIGHT[..., :1], ["Y"])
    expect("luminance.exr", LIGHT[..., 0])
    oiio_write("luminance-alpha.exr", LIGHT[..., :2], ["Y", "A"])
    expect("luminance-alpha.exr", LIGHT[..., :2])
    oiio_write("layer.exr", LIGHT, ["key.R", "key.G", "key.B", "key.A"])
    expect("layer.exr", LIGHT)
    oiio_write("beside-layers.exr", np.concatenate([LIGHT[..., :3], LIGHT], -1), ["R", "G", "B", "key.R", "key.G", "key.B", "key.A"])
    expect("beside-layers.exr", LIGHT[..., :3])
    oiio_write("layers.exr", np.concatenate([LIGHT[..., :3]] * 2, -1), ["key.R", "key.G", "key.B", "fill.R", "fill.G", "fill.B"])
    refuse("layers.exr", "fill, key")
    oiio_write("depth.exr", LIGHT[..., :1], ["Z"])
    refuse("depth.exr", "channels Z")
    oiio_write("window.exr", LIGHT[..., :3], x=-5, y=3, full_x=0, full_y=0, full_width=64, full_height=20, PixelAspectRatio=2.0)
    expect("window.exr", LIGHT[..., :3], aspect=2.0, windows=[-5, 3, 0, 0, 64, 20])
    oiio_write("tiles.exr", half, kind="half", tile=16)
    expect("tiles.exr", half)
    oiio_write("sixteen.png", UNIT, kind="uint16", oiio__UnassociatedAlpha=1)
    expect("sixteen.png", sixteen / 65535, within=1e-4)
    oiio_write("ten.dpx", UNIT[..., :3], kind="uint16", oiio__BitsPerSample=10)
    expect("ten.dpx", np.round(UNIT[..., :3] * 1023) / 1023, within=1e-3)

    # ImageMagick: from raw samples.
    def magick(name, *how):
        raw = f"{folder}/raw.rgb"
        sixteen[..., :3].astype("<u2").tofile(raw)
        source = ["convert", "-size", f"{W}x{H}", "-depth", "16", "-endian", "LSB", f"rgb:{raw}"]
        subprocess.run([*source, *how, f"{folder}/{name}"], check=True)

    magick("interlaced.png", "-interlace", "PNG")
    expect("interlaced.png", sixteen[..., :3] / 65535)
    magick("packed.tif", "-compress", "LZW")
    expect("packed.tif", sixteen[..., :3] / 65535)
    magick("eight.png", "-depth", "8")
    expect("eight.png", sixteen[..., :3] / 65535, within=1.01 / 255)
    magick("cmyk.jpg", "-colorspace", "CMYK", "-quality", "100")
    with open(f"{folder}/kinds.json", "w") as f:
        json.dump(kinds, f)


def facts(file):
    image = oiio.ImageInput.open(file)
    spec = image.spec()
    icc = spec.getattribute("ICCProfile")
    profile = spec.getattribute("ICCProfile:profile_description")
    cicp = spec.getattribute("CICP")
    found = {
        "channels": spec.channelnames,
        "data": [spec.x, spec.y],
        "shown": [spec.full_x, spec.full_y, spec.full_width, spec.full_height],
        "aspect": spec.get_float_attribute("PixelAspectRatio", 1.0),
        "orientation": spec.get_int_attribute("Orientation", 1),
        "icc": None if icc is None else len(icc),
        "icc_name": profile,
        "cicp": None if cicp is None else [int(v) for v in cicp],
        "space": spec.getattribute("oiio:ColorSpace"),
        "transfer": spec.getattribute("dpx:Transfer"),
        "colorimetric": spec.getattribute("dpx:Colorimetric"),
        "chromaticities": None if spec.getattribute("chromaticities") is None else [float(v) for v in spec.getattribute("chromaticities")],
    }
    json.dump(found, sys.stdout)


def decoded(file):
    picture = oiio.ImageBuf(file)
    assert picture.read(force=True, convert=oiio.UINT16), file
    return picture.spec().width * picture.spec().height


def timed(files):
    oiio.attribute("threads", 1)
    with Pool(2) as pool:
        # Once, so that both have begun.
        pool.map(decoded, files[:2])
        begun = time.perf_counter()
        pixels = sum(pool.imap_unordered(decoded, files))
        print(round((time.perf_counter() - begun) * 1000), pixels)


if __name__ == "__main__":
    if sys.argv[1] == "time":
        timed(sys.argv[2:])
    else:
        {"make": make, "facts": facts}[sys.argv[1]](sys.argv[2])
