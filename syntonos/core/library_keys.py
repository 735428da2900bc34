"""Keys of data sets and transforms in libraries: the one module where such names stand."""

from typing import Final

# colour-science's spectra of charts and sensors.
CHART_SPECTRA: Final = "BabelColor Average"
MEASURED_SENSORS: Final = ("Nikon 5100 (NPL)", "Sigma SDMerill (NPL)")

# OpenColorIO's built-in transforms, to ACES2065-1.
OCIO_TO_AP0 = {
    "s-log3/s-gamut3": "SONY_SLOG3-SGAMUT3_to_ACES2065-1",
    "s-log3/s-gamut3.cine": "SONY_SLOG3-SGAMUT3.CINE_to_ACES2065-1",
    "logc3-ei800/awg3": "ARRI_ALEXA-LOGC-EI800-AWG_to_ACES2065-1",
    "logc4/awg4": "ARRI_LOGC4_to_ACES2065-1",
    "v-log/v-gamut": "PANASONIC_VLOG-VGAMUT_to_ACES2065-1",
    "log3g10/rwg": "RED_LOG3G10-RWG_to_ACES2065-1",
    "acescct/ap1": "ACEScct_to_ACES2065-1",
    "acescc/ap1": "ACEScc_to_ACES2065-1",
}

# OpenColorIO's curves alone, to linear.
OCIO_CURVES = {
    "c-log2": "CURVE - CANON_CLOG2_to_LINEAR",
    "c-log3": "CURVE - CANON_CLOG3_to_LINEAR",
}

# colour-science's other curves, as its own functions have them.
COLOUR_OTHER: dict[str, tuple[str, dict[str, int], float]] = {
    "bt709": ("oetf_BT709", {}, 1.0),
    "srgb": ("eotf_inverse_sRGB", {}, 1.0),
    "pq": ("eotf_inverse_ST2084", {}, 100.0),  # cd/m2 of our 1
    "hlg": ("oetf_BT2100_HLG", {}, 1 / 3),  # our light is 3 E
}

# colour-science's log encodings: name, further arguments.
COLOUR_LOG: dict[str, tuple[str, dict[str, int]]] = {
    "s-log3": ("log_encoding_SLog3", {}),
    **{
        f"logc3-ei{i}": ("log_encoding_ARRILogC3", {"EI": i})
        for i in (160, 200, 250, 320, 400, 500, 640, 800, 1000, 1280, 1600)
    },
    "s-log": ("log_encoding_SLog", {}),
    "s-log2": ("log_encoding_SLog2", {}),
    "f-log": ("log_encoding_FLog", {}),
    "c-log": ("log_encoding_CanonLog", {}),
    "c-log2": ("log_encoding_CanonLog2", {}),
    "c-log3": ("log_encoding_CanonLog3", {}),
    "protune": ("log_encoding_Protune", {}),
    "cineon": ("log_encoding_Cineon", {}),
    "acescc": ("log_encoding_ACEScc", {}),
    "logc4": ("log_encoding_ARRILogC4", {}),
    "v-log": ("log_encoding_VLog", {}),
    "log3g10": ("log_encoding_Log3G10", {}),
    "f-log2": ("log_encoding_FLog2", {}),
    "n-log": ("log_encoding_NLog", {}),
    "d-log": ("log_encoding_DJIDLog", {}),
    "acescct": ("log_encoding_ACEScct", {}),
}
