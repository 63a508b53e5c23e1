"""Names of colour descriptions by code (ITU-T H.273, tables 2 to 4). Code 2, unspecified, says nothing."""

PRIMARIES = {
    1: "BT.709",
    4: "BT.470 M",
    5: "BT.470 B/G",
    6: "SMPTE 170M",
    7: "SMPTE 240M",
    8: "film",
    9: "BT.2020",
    10: "SMPTE 428",
    11: "SMPTE RP 431",
    12: "SMPTE EG 432",
    22: "EBU 3213",
}

TRANSFER = {
    1: "BT.709",
    4: "BT.470 M",
    5: "BT.470 B/G",
    6: "SMPTE 170M",
    7: "SMPTE 240M",
    8: "linear",
    9: "log 100:1",
    10: "log 316:1",
    11: "IEC 61966-2-4",
    12: "BT.1361",
    13: "IEC 61966-2-1",
    14: "BT.2020 10 bit",
    15: "BT.2020 12 bit",
    16: "SMPTE ST 2084",
    17: "SMPTE 428",
    18: "BT.2100 HLG",
}

MATRIX = {
    0: "identity",
    1: "BT.709",
    4: "FCC",
    5: "BT.470 B/G",
    6: "SMPTE 170M",
    7: "SMPTE 240M",
    8: "YCgCo",
    9: "BT.2020",
    10: "BT.2020 constant",
    11: "SMPTE ST 2085",
    12: "chromaticity",
    13: "chromaticity constant",
    14: "BT.2100 ICtCp",
    15: "IPT-C2",
    16: "YCgCo-Re",
    17: "YCgCo-Ro",
}
