"""Keys of data sets and transforms in libraries that tests compare with."""

# OpenColorIO's built-in transforms, to ACES2065-1.
OCIO_TO_AP0 = {
    "s-log3/s-gamut3": "SONY_SLOG3-SGAMUT3_to_ACES2065-1",
    "s-log3/s-gamut3.cine": "SONY_SLOG3-SGAMUT3.CINE_to_ACES2065-1",
    "logc3-ei800/awg3": "ARRI_ALEXA-LOGC-EI800-AWG_to_ACES2065-1",
    "logc4/awg4": "ARRI_LOGC4_to_ACES2065-1",
    "v-log/v-gamut": "PANASONIC_VLOG-VGAMUT_to_ACES2065-1",
    "log3g10/rwg": "RED_LOG3G10-RWG_to_ACES2065-1",
    "acescct/ap1": "ACEScct_to_ACES2065-1",
}

# colour-science's log encodings: name, further arguments.
COLOUR_LOG = {
    "s-log3": ("log_encoding_SLog3", {}),
    "logc3-ei800": ("log_encoding_ARRILogC3", {"EI": 800}),
    "logc4": ("log_encoding_ARRILogC4", {}),
    "v-log": ("log_encoding_VLog", {}),
    "log3g10": ("log_encoding_Log3G10", {}),
    "f-log2": ("log_encoding_FLog2", {}),
    "n-log": ("log_encoding_NLog", {}),
    "d-log": ("log_encoding_DJIDLog", {}),
    "acescct": ("log_encoding_ACEScct", {}),
}
