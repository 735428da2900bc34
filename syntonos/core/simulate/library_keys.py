"""Keys of data sets in colour-science: the one module where such names stand."""

from typing import Final

CHART_SPECTRA: Final = "BabelColor Average"
MEASURED_SENSORS: Final = ("Nikon 5100 (NPL)", "Sigma SDMerill (NPL)")
