"""Remakes the reference values in core/tests/fixtures from colour-science, an independent library.

Run by `cargo xtask fixtures`. Nothing here comes from the project's own code; constants of standards are the
library's own. The 34 pairs of CIEDE2000 are the published data set, as the library's own tests carry it.
"""
import json
import pathlib
import re

import colour
import numpy as np
import PyOpenColorIO as ocio

OUT = pathlib.Path(__file__).resolve().parent.parent / "core/tests/fixtures"
SOURCE = f"colour-science {colour.__version__}"


def write(name, data):
    OUT.mkdir(parents=True, exist_ok=True)
    (OUT / name).write_text(json.dumps({"source": SOURCE, **data}, indent=1) + "\n")


def encodings():
    m = colour.models
    grid = np.array([0.0, 1e-6, 1e-3, 0.0078125, 0.01, 0.18, 0.5, 0.9, 1.0, 4.0, 12.0])
    hlg = [[0.1, 0.1, 0.1], [1.0, 0.5, 0.1], [0.02, 0.3, 3.0], [4.9, 4.9, 4.9]]
    return {
        "linear": grid.tolist(),
        "codes": {
            "acescct": m.log_encoding_ACEScct(grid).tolist(),
            "acescc": m.log_encoding_ACEScc(grid).tolist(),
            "cineon": m.log_encoding_Cineon(grid).tolist(),
            "rec709": m.eotf_inverse_BT1886(grid).tolist(),
            "srgb": m.eotf_inverse_sRGB(grid).tolist(),
            "p3-d65": (grid ** (1 / 2.6)).tolist(),
            # 1.0 is 203 cd/m2, HDR reference white (ITU-R BT.2408).
            "pq": m.eotf_inverse_ST2084(grid * 203).tolist(),
        },
        "hlg": [[c, m.eotf_inverse_BT2100_HLG(np.array(c) * 203, L_W=1000).tolist()] for c in hlg],
    }


def primaries():
    names = {"aces2065-1": "ACES2065-1", "linear-rec709": "ITU-R BT.709", "linear-p3-d65": "P3-D65", "linear-rec2020": "ITU-R BT.2020"}
    ap1 = colour.RGB_COLOURSPACES["ACEScg"]
    out = {}
    for key, name in names.items():
        space = colour.RGB_COLOURSPACES[name]
        # From chromaticities (RP 177), not from the matrices that some documents round.
        for s in (space, ap1):
            s.use_derived_matrix_RGB_to_XYZ = True
            s.use_derived_matrix_XYZ_to_RGB = True
        out[key] = colour.matrix_RGB_to_RGB(space, ap1, "Bradford").tolist()
    return {"to_ap1": out}


def whites():
    from colour.temperature import CCT_to_xy_CIE_D, CCT_to_uv_Krystek1985

    cat = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        colour.xy_to_XYZ([0.44758, 0.40745]), colour.xy_to_XYZ([0.32168, 0.33767]), "CAT16"
    )
    return {
        "daylight": [[k, CCT_to_xy_CIE_D(k).tolist()] for k in (5000, 5500, 6504, 7500, 10000, 20000)],
        "planckian_uv": [[k, CCT_to_uv_Krystek1985(k).tolist()] for k in (1800, 2400, 2856, 3200, 4000)],
        "cat16_a_to_aces": cat.tolist(),
    }


def planck():
    """CIE 1960 uv of black bodies by Planck's law, and the directions that core/src/colour/isotherm.rs holds."""
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(colour.SpectralShape(360, 830, 1))
    metres = cmfs.wavelengths * 1e-9

    def uv(mired):
        power = metres**-5 / (np.exp(1.4388e-2 * mired * 1e-6 / metres) - 1)
        x, y, z = (cmfs.values * power[:, None]).sum(0)
        d = x + 15 * y + 3 * z
        return np.array([4 * x / d, 6 * y / d])

    angles = []
    for mired in np.arange(32, 609, 8):
        warmer = uv(mired * 1.001) - uv(mired * 0.999)
        angles.append(round(float(np.arctan2(warmer[1], warmer[0])), 6))
    print("isotherm.rs, ANGLES:", *angles)
    return {"mired_u_v": [[float(m), *(round(float(c), 9) for c in uv(m))] for m in np.arange(36, 620, 2)]}


def displays():
    """Colorimetry from display to display: encoded result, and the distance from neutral as a share of the target's room."""
    spaces = {"rec709": ("ITU-R BT.709", 2.4), "p3-d65": ("P3-D65", 2.6), "rec2020": ("ITU-R BT.2020", 2.4), "pq": ("ITU-R BT.2020", None)}
    colours = np.vstack([np.eye(3), [[0.5, 0.25, 0.75], [1, 1, 1], [0, 0, 0]], np.random.default_rng(7).random((60, 3))])
    rows = []
    for source in ["rec709", "p3-d65", "rec2020"]:
        for target in spaces:
            if target == source:
                continue
            (here, power), (there, back) = spaces[source], spaces[target]
            to = colour.RGB_COLOURSPACES[there].matrix_RGB_to_XYZ
            m = np.linalg.inv(to) @ colour.RGB_COLOURSPACES[here].matrix_RGB_to_XYZ
            peak = 1 if back else 1000 / 203
            for code in colours:
                light = m @ code**power
                y = to[1] @ light
                inside = 1e-6 < y < peak - 1e-6
                room = max((light.max() - y) / (peak - y), (y - light.min()) / y) if inside else 0.0
                # 1.0 is 203 cd/m2 on an HDR display.
                coded = np.sign(light) * np.abs(light) ** (1 / back) if back else colour.models.eotf_inverse_ST2084(np.maximum(light, 0) * 203)
                rows.append([source, target, code.tolist(), [round(float(v), 7) for v in coded], round(float(room), 5)])
    return {"conversions": rows}


def differences():
    path = pathlib.Path(colour.__file__).parent / "difference/tests/test_delta_e.py"
    text = path.read_text()
    body = text[text.index("def test_delta_E_CIE2000_Sharma2004"):] if "Sharma2004" in text else text
    blocks = re.findall(r"\[\s*(-?\d+\.\d+),\s*(-?\d+\.\d+),\s*(-?\d+\.\d+),?\s*\]", body)
    triples = [list(map(float, b)) for b in blocks]
    results = re.search(r"d_E\s*=\s*np\.array\(\s*\[(.*?)\]\s*\)", body, re.S)
    wanted = [float(v) for v in re.findall(r"\d+\.\d+", results.group(1))]
    half = len(wanted)
    return {"pairs": [[triples[i], triples[half + i], wanted[i]] for i in range(half)]}


def itp():
    m = colour.models
    rgb = np.array([[100.0, 100, 100], [10, 200, 50], [900, 20, 1], [0.5, 0.5, 0.7]])
    out = []
    for c in rgb:
        ictcp = m.RGB_to_ICtCp(c, method="ITU-R BT.2100-2 PQ", L_p=10000)
        out.append([c.tolist(), [ictcp[0], ictcp[1] / 2, ictcp[2]]])
    return {"itp": out}


def scopes():
    """Counts by their definitions in numpy, of a picture that both sides make from the same whole numbers."""
    width, height, columns = 48, 27, 16
    n = np.arange(width * height * 3, dtype=np.uint64)
    # Knuth's multiplicative hash: spread over all codes, the same in every language.
    codes = ((n * 2654435761) % 2**32 >> 24).astype(int).reshape(height, width, 3)
    luma = codes @ np.array([0.2126, 0.7152, 0.0722])
    cb, cr = (codes[..., 2] - luma) / 1.8556 / 255, (codes[..., 0] - luma) / 1.5748 / 255
    # Half the side is 0.62; the centre lies between the middle cells of 256.
    x = np.rint(127.5 + cb / 0.62 * 128).astype(int)
    y = np.rint(127.5 - cr / 0.62 * 128).astype(int)
    column = np.broadcast_to(np.arange(width) * columns // width, (height, width))
    wave = np.zeros((columns, 3, 256), int)
    for c in range(3):
        np.add.at(wave[:, c], (column, codes[..., c]), 1)
    level = np.zeros((columns, 256), int)
    np.add.at(level, (column, np.rint(luma).astype(int)), 1)
    vector = np.zeros((256, 256), int)
    np.add.at(vector, (y, x), 1)
    histogram = [np.bincount(codes[..., c].ravel(), minlength=256).tolist() for c in range(3)]
    # A rectangle and a loop, by matplotlib-free even-odd rule at the pixels' centres.
    corners = [[0.1, 0.15], [0.8, 0.3], [0.6, 0.95], [0.35, 0.4]]
    px, py = (np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height
    inside = np.zeros((height, width), bool)
    for (x0, y0), (x1, y1) in zip(corners, corners[1:] + corners[:1]):
        cut = (y0 <= py) != (y1 <= py)
        at = x0 + (py - y0) / (y1 - y0) * (x1 - x0)
        inside ^= cut[:, None] & (px[None, :] >= at[:, None])
    sparse = lambda a: [[int(v) for v in at] + [int(a[tuple(at)])] for at in np.argwhere(a)]
    # CIE 1976 u'v' of linear AP1 after CAT16 to D65.
    light = (codes / 255.0).reshape(-1, 3)
    ap1, d65 = colour.RGB_COLOURSPACES["ACEScg"], np.array([0.3127, 0.3290])
    xyz = colour.RGB_to_XYZ(light, ap1, illuminant=d65, chromatic_adaptation_transform="CAT16")
    total = xyz[:, 0] + 15 * xyz[:, 1] + 3 * xyz[:, 2]
    u, v = 4 * xyz[:, 0] / total, 9 * xyz[:, 1] / total
    lit = (xyz[:, 1] >= 0.18 / 512) & (total > 0)
    chroma = np.zeros((256, 256), int)
    cell = lambda a: np.floor(a / 0.64 * 256).astype(int)
    np.add.at(chroma, (255 - cell(v[lit]), cell(u[lit])), 1)
    return {
        "width": width, "height": height, "columns": columns, "wave": sparse(wave), "luma": sparse(level),
        "vector": sparse(vector), "histogram": histogram, "corners": corners, "inside": int(inside.sum()),
        "histogram_inside": np.bincount(codes[inside][:, 1], minlength=256).tolist(), "chromaticity": sparse(chroma),
    }


UGLY = [[0.0, 0.0, 0.0], [1e-6, -1e-6, 0.5], [0.18, 0.18, 0.18], [-0.25, 0.4, 1.3], [0.9, 0.05, 0.31], [1.0, 1.0, 1.0],
        [0.02, 0.7, 0.01], [12.0, 3.0, 0.2], [0.4, -0.1, 0.02], [0.3, 0.5, -0.2], [0.001, 0.002, -0.0005]]


def through(transform, colours):
    cpu = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    return [[float(v) for v in cpu.applyRGB([float(v) for v in c])] for c in colours]


def cdl():
    """ASC CDL as OpenColorIO computes it, in the strict and in the unclipped form."""
    settings = [
        ([1.2, 0.9, 1.0], [0.02, -0.01, 0.1], [1.1, 0.8, 1.0], 0.7),
        ([0.8, 1.0, 1.4], [-0.05, 0.0, 0.02], [1.0, 1.3, 2.2], 1.4),
        ([1.0, 1.0, 1.0], [0.0, 0.0, 0.0], [1.0, 1.0, 1.0], 0.0),
    ]
    out = []
    for slope, offset, power, saturation in settings:
        for clamp, style in [(True, ocio.CDL_ASC), (False, ocio.CDL_NO_CLAMP)]:
            t = ocio.CDLTransform(slope=slope, offset=offset, power=power, sat=saturation)
            t.setStyle(style)
            out.append({"slope": slope, "offset": offset, "power": power, "saturation": saturation, "clamp": clamp,
                        "out": through(t, UGLY)})
    return {"source": f"OpenColorIO {ocio.__version__}", "in": UGLY, "cases": out}


def compress():
    """The ACES reference gamut compression 1.3 as OpenColorIO computes it, with the published constants."""
    constants = [1.147, 1.264, 1.312, 0.815, 0.803, 0.880, 1.2]
    rng = np.random.default_rng(5)
    colours = UGLY + (rng.random((300, 3)) * 1.6 - 0.4).tolist()
    t = ocio.FixedFunctionTransform(ocio.FIXED_FUNCTION_ACES_GAMUT_COMP_13, constants)
    return {"source": f"OpenColorIO {ocio.__version__}", "in": colours, "out": through(t, colours)}


def film():
    """Spectral sums: the standard observer, daylight, and XYZ of dye amounts before a projector, from our stocks' bands."""
    shape = colour.SpectralShape(380, 730, 10)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
    stocks = pathlib.Path(__file__).resolve().parent.parent / "core/stocks"

    def projector(kelvin):
        xy = colour.temperature.CCT_to_xy_CIE_D(kelvin)
        return colour.sd_CIE_illuminant_D_series(xy).copy().align(shape)

    def bands(all):
        return sum(b["height"] * np.exp(-0.5 * ((shape.wavelengths - b["centre"]) / b["width"]) ** 2) for b in all)

    cases = []
    rng = np.random.default_rng(11)
    for name in ["plainsong", "ember-vault", "north-window", "carnival-wire"]:
        dyes = json.loads((stocks / f"{name}.json").read_text())["dyes"]
        units = [bands(dyes[k]) for k in ("cyan", "magenta", "yellow")]
        base = dyes["base"] + bands(dyes["stain"])
        for kelvin in (5400, 6300):
            light = projector(kelvin)
            clear = None
            for amounts in [[0, 0, 0], *(rng.random((6, 3)) * 3).round(3).tolist()]:
                density = base + sum(a * u for a, u in zip(amounts, units))
                sd = colour.SpectralDistribution(10.0 ** -density, shape.wavelengths)
                xyz = colour.sd_to_XYZ(sd, cmfs=observer, illuminant=light, method="Integration")
                clear = xyz[1] if clear is None else clear
                cases.append({"stock": name, "kelvin": kelvin, "amounts": amounts, "xyz": (xyz / clear).tolist()})
    return {
        "observer": observer.values.tolist(),
        "daylight": {str(k): (projector(k).values / projector(k)[560]).tolist() for k in (5000, 5400, 6500)},
        "dyes": cases,
    }


for name, make in [("film", film), ("cdl", cdl), ("compress", compress), ("scopes", scopes), ("encodings", encodings), ("primaries", primaries), ("whites", whites), ("planck", planck), ("displays", displays), ("ciede2000", differences), ("itp", itp)]:
    try:
        write(f"{name}.json", make())
    except Exception as e:
        raise SystemExit(f"{name}: {e!r}")
