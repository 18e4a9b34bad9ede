"""Remakes the reference values in core/tests/fixtures from colour-science, an independent library.

Run by `cargo xtask fixtures`. Nothing here comes from the project's own code; constants of standards are the
library's own. The 34 pairs of CIEDE2000 are the published data set, as the library's own tests carry it.
"""
import json
import pathlib
import re

import colour
import numpy as np

OUT = pathlib.Path(__file__).resolve().parent.parent / "core/tests/fixtures"
SOURCE = f"colour-science {colour.__version__}"


def write(name, data):
    OUT.mkdir(parents=True, exist_ok=True)
    (OUT / name).write_text(json.dumps({"source": SOURCE, **data}, indent=1) + "\n")


def encodings():
    m = colour.models
    grid = np.array([0.0, 1e-6, 1e-3, 0.0078125, 0.01, 0.18, 0.5, 0.9, 1.0, 4.0, 12.0])
    hlg = [[0.1, 0.1, 0.1], [1.0, 0.5, 0.1], [0.02, 0.3, 6.0], [10.0, 10.0, 10.0]]
    return {
        "linear": grid.tolist(),
        "codes": {
            "acescct": m.log_encoding_ACEScct(grid).tolist(),
            "acescc": m.log_encoding_ACEScc(grid).tolist(),
            "cineon": m.log_encoding_Cineon(grid).tolist(),
            "rec709": m.eotf_inverse_BT1886(grid).tolist(),
            "srgb": m.eotf_inverse_sRGB(grid).tolist(),
            "p3-d65": (grid ** (1 / 2.6)).tolist(),
            # 1.0 is 100 cd/m2.
            "pq": m.eotf_inverse_ST2084(grid * 100).tolist(),
        },
        "hlg": [[c, m.eotf_inverse_BT2100_HLG(np.array(c) * 100, L_W=1000).tolist()] for c in hlg],
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


for name, make in [("encodings", encodings), ("primaries", primaries), ("whites", whites), ("ciede2000", differences), ("itp", itp)]:
    try:
        write(f"{name}.json", make())
    except Exception as e:
        raise SystemExit(f"{name}: {e!r}")
