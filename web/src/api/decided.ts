// Written by `make schema` from the core; not by hand.
export const decided = {
  "stages": {
    "optional": [
      "match",
      "trim",
      "balance",
      "look"
    ],
    "probed": [
      "recorded",
      "input",
      "match",
      "trim",
      "balance",
      "look",
      "output"
    ]
  },
  "trim": {
    "parts": [
      "light",
      "tone",
      "curves",
      "hues",
      "pairs",
      "detail"
    ],
    "fields": {
      "light": [
        "flare",
        "flare_rgb",
        "stops",
        "warmth",
        "tint",
        "stops_rgb"
      ],
      "tone": [
        "levels",
        "borders",
        "contrast",
        "pivot",
        "cdl"
      ],
      "curves": [
        "curve",
        "curves_rgb"
      ],
      "hues": [
        "hues"
      ],
      "pairs": [
        "pairs"
      ],
      "detail": [
        "detail"
      ]
    },
    "neutral": {
      "flare": 0.0,
      "flare_rgb": [
        0.0,
        0.0,
        0.0
      ],
      "stops": 0.0,
      "warmth": 0.0,
      "tint": 0.0,
      "stops_rgb": [
        0.0,
        0.0,
        0.0
      ],
      "levels": [
        {
          "warmth": 0.0,
          "tint": 0.0,
          "saturation": 1.0
        },
        {
          "warmth": 0.0,
          "tint": 0.0,
          "saturation": 1.0
        },
        {
          "warmth": 0.0,
          "tint": 0.0,
          "saturation": 1.0
        }
      ],
      "borders": [
        -2.0,
        2.0
      ],
      "contrast": 1.0,
      "pivot": 0.0,
      "cdl": {
        "slope": [
          1.0,
          1.0,
          1.0
        ],
        "offset": [
          0.0,
          0.0,
          0.0
        ],
        "power": [
          1.0,
          1.0,
          1.0
        ],
        "saturation": 1.0,
        "clamp": false
      },
      "curve": [],
      "curves_rgb": [
        [],
        [],
        []
      ],
      "hues": [
        {
          "turn": 0.0,
          "saturation": 1.0,
          "stops": 0.0
        },
        {
          "turn": 0.0,
          "saturation": 1.0,
          "stops": 0.0
        },
        {
          "turn": 0.0,
          "saturation": 1.0,
          "stops": 0.0
        },
        {
          "turn": 0.0,
          "saturation": 1.0,
          "stops": 0.0
        },
        {
          "turn": 0.0,
          "saturation": 1.0,
          "stops": 0.0
        },
        {
          "turn": 0.0,
          "saturation": 1.0,
          "stops": 0.0
        }
      ],
      "pairs": [],
      "detail": [
        0.0,
        0.0,
        0.0
      ],
      "off": [],
      "keys": [],
      "kind": "trim"
    },
    "levels": [
      "darks",
      "middle",
      "lights"
    ],
    "hues": [
      "red",
      "yellow",
      "green",
      "cyan",
      "blue",
      "magenta"
    ],
    "bands": [
      "fine",
      "middle",
      "coarse"
    ],
    "most_between": 36.0,
    "log_of_a_stop": 0.05707762557077626,
    "controls": {
      "stops": {
        "low": -10.0,
        "high": 10.0,
        "reach": [
          -4.0,
          4.0
        ],
        "steps": [
          0.02,
          0.005,
          0.1
        ],
        "tolerance": 0.05
      },
      "warmth": {
        "low": -250.0,
        "high": 250.0,
        "reach": [
          -250.0,
          250.0
        ],
        "steps": [
          2.0,
          0.5,
          10.0
        ],
        "tolerance": 5.0
      },
      "tint": {
        "low": -40.0,
        "high": 40.0,
        "reach": [
          -40.0,
          40.0
        ],
        "steps": [
          0.2,
          0.05,
          1.0
        ],
        "tolerance": 0.8
      },
      "flare": {
        "low": -0.2,
        "high": 0.2,
        "reach": [
          -0.05,
          0.05
        ],
        "steps": [
          0.0005,
          0.0001,
          0.0025
        ],
        "tolerance": null
      },
      "flare_rgb": {
        "low": -0.2,
        "high": 0.2,
        "reach": [
          -0.2,
          0.2
        ],
        "steps": [
          0.0005,
          0.0001,
          0.0025
        ],
        "tolerance": null
      },
      "stops_rgb": {
        "low": -6.0,
        "high": 6.0,
        "reach": [
          -2.0,
          2.0
        ],
        "steps": [
          0.01,
          0.002,
          0.05
        ],
        "tolerance": null
      },
      "contrast": {
        "low": 0.25,
        "high": 4.0,
        "reach": [
          0.5,
          2.0
        ],
        "steps": [
          0.01,
          0.002,
          0.05
        ],
        "tolerance": 0.015
      },
      "pivot": {
        "low": -4.0,
        "high": 4.0,
        "reach": [
          -4.0,
          4.0
        ],
        "steps": [
          0.1,
          0.020000000000000004,
          0.5
        ],
        "tolerance": null
      },
      "borders": {
        "low": -8.0,
        "high": 8.0,
        "reach": [
          -8.0,
          8.0
        ],
        "steps": [
          0.1,
          0.020000000000000004,
          0.5
        ],
        "tolerance": null
      },
      "levels.warmth": {
        "low": -250.0,
        "high": 250.0,
        "reach": [
          -250.0,
          250.0
        ],
        "steps": [
          2.0,
          0.5,
          10.0
        ],
        "tolerance": null
      },
      "levels.tint": {
        "low": -40.0,
        "high": 40.0,
        "reach": [
          -40.0,
          40.0
        ],
        "steps": [
          0.2,
          0.05,
          1.0
        ],
        "tolerance": null
      },
      "levels.saturation": {
        "low": 0.0,
        "high": 4.0,
        "reach": [
          0.0,
          4.0
        ],
        "steps": [
          0.02,
          0.004,
          0.1
        ],
        "tolerance": null
      },
      "cdl.saturation": {
        "low": 0.0,
        "high": 4.0,
        "reach": [
          0.0,
          2.0
        ],
        "steps": [
          0.01,
          0.002,
          0.05
        ],
        "tolerance": 0.03
      },
      "hues.turn": {
        "low": -60.0,
        "high": 60.0,
        "reach": [
          -36.0,
          36.0
        ],
        "steps": [
          0.5,
          0.1,
          2.5
        ],
        "tolerance": null
      },
      "hues.saturation": {
        "low": 0.0,
        "high": 4.0,
        "reach": [
          0.0,
          2.0
        ],
        "steps": [
          0.01,
          0.002,
          0.05
        ],
        "tolerance": null
      },
      "hues.stops": {
        "low": -2.0,
        "high": 2.0,
        "reach": [
          -1.0,
          1.0
        ],
        "steps": [
          0.02,
          0.004,
          0.1
        ],
        "tolerance": null
      },
      "pairs.reach": {
        "low": 0.05,
        "high": 0.4,
        "reach": [
          0.05,
          0.4
        ],
        "steps": [
          0.005707762557077626,
          0.0011415525114155253,
          0.02853881278538813
        ],
        "tolerance": null
      },
      "pairs.strength": {
        "low": 0.0,
        "high": 1.0,
        "reach": [
          0.0,
          1.0
        ],
        "steps": [
          0.05,
          0.010000000000000002,
          0.25
        ],
        "tolerance": null
      },
      "detail": {
        "low": 0.0,
        "high": 1.0,
        "reach": [
          0.0,
          1.0
        ],
        "steps": [
          0.02,
          0.004,
          0.1
        ],
        "tolerance": null
      }
    }
  },
  "tuner": {
    "exposure": {
      "most": 4.0,
      "steps": [
        0.02,
        0.005,
        0.1
      ],
      "tolerance": 0.05
    },
    "warmth": {
      "most": 250.0,
      "steps": [
        2.0,
        0.5,
        10.0
      ],
      "tolerance": 5.0
    },
    "tint": {
      "most": 40.0,
      "steps": [
        0.2,
        0.05,
        1.0
      ],
      "tolerance": 0.8
    },
    "contrast": {
      "most": 1.0,
      "steps": [
        0.01,
        0.002,
        0.05
      ],
      "tolerance": 0.015
    },
    "strength": {
      "most": 100.0,
      "steps": [
        1.0,
        0.2,
        5.0
      ],
      "tolerance": 3.0
    }
  },
  "verdict": {
    "most_clipped": 0.005,
    "least_told": 0.0005,
    "most_lut_cost": 0.03,
    "most_lut_error": 1.0
  }
} as const;
