import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.encodings import GAMUTS, gamut_matrix

# Linear RGB to ACES2065-1 as OpenColorIO's built-in configs have it, with the adaptation each
# maker states (CAT02 or Bradford). F- and N-Gamut: ITU-R BT.2020 primaries, CAT02.
TO_AP0 = {
    "s-gamut3": "0.752983 0.143370 0.103647 0.021708 1.015319 -0.037027 "
                "-0.009416 0.003370 1.006046",
    "s-gamut3.cine": "0.638789 0.272351 0.088860 -0.003916 1.088073 -0.084157 "
                     "-0.029907 -0.026433 1.056340",
    "awg3": "0.680206 0.236137 0.083658 0.085415 1.017471 -0.102886 "
            "0.002057 -0.062563 1.060506",
    "awg4": "0.750957 0.144423 0.104620 0.000822 1.007398 -0.008219 "
            "-0.000500 -0.000854 1.001354",
    "v-gamut": "0.724617 0.166915 0.108468 0.021390 0.984908 -0.006298 "
               "-0.009236 -0.001057 1.010292",
    "rwg": "0.785059 0.083859 0.131082 0.023174 1.087898 -0.111071 "
           "-0.073760 -0.314590 1.388351",
    "d-gamut": "0.691279 0.214383 0.094338 0.066222 1.011616 -0.077838 "
               "-0.017299 -0.077379 1.094677",
    "f-gamut": "0.678891 0.158868 0.162240 0.045571 0.860713 0.093716 "
               "-0.000486 0.025060 0.975426",
    "n-gamut": "0.678891 0.158868 0.162240 0.045571 0.860713 0.093716 "
               "-0.000486 0.025060 0.975426",
    "ap1": "0.695452 0.140679 0.163869 0.044795 0.859671 0.095534 "
           "-0.005526 0.004025 1.001501",
    "f-gamut-c": "0.840895 0.027528 0.131577 0.000920 1.007390 -0.008310 "
                 "-0.000560 -0.000776 1.001336",
    "cinema-gamut": "0.763064 0.149021 0.087914 0.003657 1.106960 -0.110618 "
                    "-0.009408 -0.218383 1.227791",
    "protune-native": "0.533449 0.324139 0.142412 -0.050730 1.075720 -0.024990 "
                      "0.071420 -0.290522 1.219102",
    "bt709": "0.439633 0.382989 0.177378 0.089776 0.813439 0.096784 "
             "0.017541 0.111547 0.870912",
}  # fmt: skip


@pytest.mark.parametrize("slug", TO_AP0)
def test_matrices_to_ap0_are_those_of_the_reference_library(slug):
    want = np.array(TO_AP0[slug].split(), float).reshape(3, 3)
    # The table has six decimals.
    np.testing.assert_allclose(gamut_matrix(GAMUTS[slug], GAMUTS["ap0"]), want, atol=1.5e-6)


@pytest.mark.parametrize("slug", GAMUTS)
def test_white_goes_to_white_both_ways(slug):
    there = gamut_matrix(GAMUTS[slug], GAMUTS["ap1"])
    back = gamut_matrix(GAMUTS["ap1"], GAMUTS[slug])
    np.testing.assert_allclose(there.sum(axis=1), 1, atol=1e-12)
    np.testing.assert_allclose(back @ there, np.eye(3), atol=1e-12)


def test_ap1_to_ap0_is_the_library_s_own():
    builtin = ocio.BuiltinTransform("ACEScg_to_ACES2065-1")
    cpu = ocio.Config.CreateRaw().getProcessor(builtin).getDefaultCPUProcessor()
    columns = np.array([cpu.applyRGB(list(axis)) for axis in np.eye(3)]).T
    np.testing.assert_allclose(gamut_matrix(GAMUTS["ap1"], GAMUTS["ap0"]), columns, atol=2e-6)
