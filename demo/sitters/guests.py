"""Guests of the choir: other people, in what finding people finds hard. Only tests and figures look at them.

No rule, no number and no training may be fitted to these pictures.
"""

from dataclasses import replace

from demo.sitters.cast import AFRICAN, ASIAN, CAUCASIAN, SLIGHT, SMILE, Colour, Light, Sitter

# No lamp stands between the camera and the sitter.
EVEN = (Light((-5.8, 3.5, 9.0), 3.5, 6.5), Light((7.8, 1.0, 7.0), 3.5, 2.2))
SIDE = (Light((-8.5, 1.5, 2.5), 1.2, 36.0),)
FLASH = (Light((0.4, 0.8, 15.0), 0.3, 2400.0),)
PALE, DARK = (0.62, 0.60, 0.57), (0.035, 0.035, 0.04)
WHITE, GREY, FAIR, RED = (0.74, 0.72, 0.68), (0.26, 0.26, 0.26), (0.48, 0.33, 0.16), (0.24, 0.065, 0.02)
BLACK, BROWN = (0.012, 0.010, 0.009), (0.07, 0.038, 0.02)
BROWN_EYES, GREEN_EYES, BLUE_EYES = (0.04, 0.024, 0.013), (0.09, 0.11, 0.05), (0.10, 0.14, 0.19)


def _guest(
    number: int, problem: str, ancestry: dict[str, float], female: float, old: float, melanin: float, hair: Colour,
    **more: object,
) -> Sitter:  # fmt: skip
    own = {"levels": 3, "strands": 26_000, "height": 1000, "grain": 0.25, "lights": EVEN, "hair": hair} | more
    return replace(Sitter(f"Guest {number}", problem, 300 + 7 * number, ancestry, female, old, melanin), **own)


MIXED = {"african": 0.5, "asian": 0.5}
GUESTS = (
    _guest(1, "long white hair before a pale wall", CAUCASIAN, 1.0, 0.8, 0.14, WHITE, hair_length=1.6, parting=0.1,
           backdrop=PALE, cloth=(0.45, 0.42, 0.40), iris=BLUE_EYES, turn=-0.1, body=0.3),
    _guest(2, "short white hair before a dark wall", MIXED, 0.0, 0.8, 1.05, WHITE, hair_length=0.3, parting=0.3,
           backdrop=DARK, cloth=(0.03, 0.05, 0.10), neckline="v", iris=BROWN_EYES, body=-0.3, twist=0.2),
    _guest(3, "grey hair before wooden panels", ASIAN, 1.0, 0.6, 0.5, GREY, hair_length=1.0, parting=-0.2,
           scene="panels", backdrop=(0.34, 0.19, 0.10), cloth=(0.20, 0.05, 0.22), iris=BROWN_EYES, turn=0.2),
    _guest(4, "long fair hair before a beige curtain", CAUCASIAN, 1.0, 0.1, 0.2, FAIR, hair_length=2.1, parting=0.0,
           curl=0.2, scene="linen", backdrop=(0.55, 0.44, 0.32), cloth=(0.10, 0.18, 0.35), neckline="boat",
           iris=GREEN_EYES, twist=0.15, lights=SIDE, ambient=0.15),
    _guest(5, "red curls and a skin-coloured blouse", CAUCASIAN, 1.0, 0.3, 0.17, RED, hair_length=1.3, curl=0.7,
           volume=0.3, parting=0.15, cloth=(0.55, 0.36, 0.27), neckline="v", freckles=0.4, iris=GREEN_EYES),
    _guest(6, "blue hair", {"asian": 0.6, "caucasian": 0.4}, 1.0, 0.0, 0.34, (0.04, 0.10, 0.34), hair_length=0.9,
           parting=-0.3, backdrop=PALE, cloth=(0.5, 0.48, 0.1), iris=BROWN_EYES, expression=SLIGHT, tilt=-0.12),
    _guest(7, "pink hair, nearly skin's own", AFRICAN, 1.0, 0.1, 1.5, (0.42, 0.16, 0.19), hair_length=0.6, curl=0.8,
           volume=0.3, weight=0.3, backdrop=DARK, cloth=(0.05, 0.25, 0.12), neckline="boat", iris=BROWN_EYES),
    _guest(8, "bald, with a full beard", CAUCASIAN, 0.0, 0.4, 0.32, BROWN, strands=0, beard=0.22,
           cloth=(0.3, 0.1, 0.05), scene="leather", backdrop=(0.20, 0.09, 0.05), iris=BLUE_EYES, body=0.3, twist=-0.2),
    _guest(9, "bald, bare shoulders", AFRICAN, 0.0, 0.3, 1.75, BLACK, strands=0, neckline="bare", stubble=0.3,
           backdrop=(0.25, 0.24, 0.22), iris=BROWN_EYES, shine=0.5, roughness=0.36, lights=SIDE, ambient=0.12),
    _guest(10, "stubble, and a shirt of skin's own colour", {"caucasian": 0.6, "asian": 0.4}, 0.0, 0.2, 0.62, BLACK,
           hair_length=0.3, stubble=0.9, cloth=(0.40, 0.21, 0.13), backdrop=(0.12, 0.16, 0.2), iris=BROWN_EYES),
    _guest(11, "straps, and a hand at the cheek", CAUCASIAN, 1.0, 0.2, 0.26, BROWN, hair_length=1.4, parting=0.2,
           neckline="straps", hand=True, cloth=(0.5, 0.47, 0.42), backdrop=(0.2, 0.17, 0.14), iris=GREEN_EYES),
    _guest(12, "bare shoulders, fair hair, before leather", CAUCASIAN, 1.0, 0.5, 0.42, FAIR, hair_length=0.5,
           neckline="bare", scene="leather", backdrop=(0.30, 0.15, 0.08), iris=BLUE_EYES, turn=-0.15, twist=-0.2),
    _guest(13, "a microphone and a strap", MIXED, 0.0, 0.1, 0.8, BLACK, hair_length=0.5, curl=0.6, microphone=True,
           strap=True, stubble=0.3, cloth=(0.45, 0.45, 0.44), backdrop=(0.06, 0.05, 0.09), iris=BROWN_EYES),
    _guest(14, "coloured light from two sides", CAUCASIAN, 1.0, 0.1, 0.24, BROWN, hair_length=1.1, parting=-0.1,
           lights=(Light((-7.0, 2.0, 5.0), 2.0, 11.0, (1.0, 0.25, 0.55)),
                   Light((7.0, 1.0, 5.0), 2.0, 9.0, (0.2, 0.5, 1.0))),
           cloth=(0.3, 0.3, 0.3), backdrop=(0.1, 0.1, 0.12), iris=BLUE_EYES),
    _guest(15, "flash, and an orange shirt", {"asian": 0.5, "caucasian": 0.5}, 0.0, 0.3, 0.45, BLACK, hair_length=0.35,
           lights=FLASH, ambient=0.05, cloth=(0.60, 0.22, 0.06), backdrop=(0.3, 0.26, 0.2), iris=BROWN_EYES),
    _guest(16, "the head turned by 45 degrees", ASIAN, 1.0, 0.2, 0.36, BLACK, hair_length=1.5, parting=0.2, twist=0.55,
           body=0.25, cloth=(0.35, 0.06, 0.08), backdrop=(0.3, 0.3, 0.3), iris=BROWN_EYES),
    _guest(17, "the head turned by 75 degrees", CAUCASIAN, 0.0, 0.3, 0.3, BROWN, hair_length=0.45, twist=0.9, body=0.4,
           cloth=(0.06, 0.12, 0.08), backdrop=(0.4, 0.4, 0.38), iris=GREEN_EYES),
    _guest(18, "the head tilted by 30 degrees", AFRICAN, 1.0, 0.1, 1.1, BLACK, hair_length=0.5, curl=1.0, locks=0.3,
           volume=0.3, weight=0.1, tilt=0.52, cloth=(0.5, 0.35, 0.05), neckline="boat", iris=BROWN_EYES),
    _guest(19, "the head bowed", {"caucasian": 0.7, "african": 0.3}, 1.0, 0.4, 0.55, BROWN, hair_length=1.2,
           parting=0.0, nod=-0.42, cloth=(0.22, 0.30, 0.40), backdrop=PALE, iris=GREEN_EYES),
    _guest(20, "a hat", CAUCASIAN, 0.0, 0.7, 0.36, GREY, hair_length=0.3, volume=0.08, wears=("hat",),
           wool=(0.16, 0.12, 0.08), stubble=0.5, cloth=(0.10, 0.12, 0.16), backdrop=(0.3, 0.32, 0.3), iris=BLUE_EYES),
    _guest(21, "a knitted cap and a scarf", ASIAN, 1.0, 0.1, 0.3, BLACK, hair_length=1.2, volume=0.08,
           wears=("cap", "scarf"), wool=(0.42, 0.10, 0.08), cloth=(0.08, 0.09, 0.12), scene="foliage", ambient=0.35,
           iris=BROWN_EYES, expression=SLIGHT),
    _guest(22, "a headscarf", MIXED, 1.0, 0.3, 0.95, BLACK, strands=0, wears=("headscarf",), wool=(0.42, 0.30, 0.22),
           cloth=(0.42, 0.30, 0.22), backdrop=(0.18, 0.2, 0.2), iris=BROWN_EYES),
    _guest(23, "five people", CAUCASIAN, 1.0, 0.2, 0.2, FAIR, hair_length=1.0, parting=0.1, place=(-2.9, -0.3, 0.6),
           cloth=(0.3, 0.06, 0.06), body=0.3, twist=-0.15, turn=0.0, field=34.0, proportion=1.5, height=667,
           levels=2, strands=14_000, above=-0.5,
           lights=(Light((-9.5, 5.0, 8.0), 3.0, 16.0), Light((9.8, 2.0, 8.0), 3.0, 8.0)),
           beside=(
               _guest(231, "", AFRICAN, 0.0, 0.2, 1.3, BLACK, hair_length=0.2, curl=0.9, place=(-1.4, 0.5, -0.6),
                      cloth=(0.2, 0.2, 0.22), levels=2, strands=14_000, turn=0.0),
               _guest(232, "", ASIAN, 1.0, 0.7, 0.42, GREY, hair_length=0.6, place=(0.1, -0.6, 0.7),
                      cloth=(0.45, 0.42, 0.36), levels=2, strands=14_000, turn=0.0, expression=SLIGHT),
               _guest(233, "", CAUCASIAN, 0.0, 0.5, 0.3, RED, hair_length=0.4, beard=0.1, place=(1.5, 0.6, -0.5),
                      cloth=(0.05, 0.10, 0.25), levels=2, strands=14_000, turn=0.0),
               _guest(234, "", MIXED, 1.0, 0.1, 0.85, BROWN, hair_length=1.3, curl=0.5, place=(2.9, -0.2, 0.5),
                      cloth=(0.5, 0.3, 0.05), neckline="boat", levels=2, strands=14_000, body=-0.3, turn=0.0),
           )),
    _guest(24, "a face of sixty pixels", CAUCASIAN, 0.0, 0.2, 0.4, BROWN, hair_length=0.4, distance=60.0, field=30.0,
           above=11.5, cloth=(0.12, 0.2, 0.3), backdrop=(0.4, 0.4, 0.4), iris=GREEN_EYES, levels=2, strands=14_000,
           lights=(Light((-28.0, 14.0, 40.0), 8.0, 60.0),), ambient=0.25),
    _guest(25, "a child", CAUCASIAN, 1.0, 0.0, 0.2, FAIR, child=1.0, hair_length=0.9, parting=0.1,
           cloth=(0.5, 0.1, 0.12), iris=BLUE_EYES, expression=SMILE, backdrop=(0.2, 0.28, 0.3)),
    _guest(26, "an old face", AFRICAN, 0.0, 1.0, 1.9, WHITE, hair_length=0.18, curl=0.9, volume=0.1, weight=0.0,
           cloth=(0.25, 0.22, 0.15), stubble=0.2, iris=BROWN_EYES, backdrop=(0.3, 0.27, 0.22)),
    _guest(27, "side light that reddens the shadow, and a purple shirt", CAUCASIAN, 0.0, 0.5, 0.24, BROWN,
           hair_length=0.4, parting=0.3, blood=0.9, flush=3.0, blotches=2.0, cloth=(0.20, 0.06, 0.26), lights=SIDE,
           ambient=0.08, iris=BLUE_EYES, backdrop=(0.12, 0.1, 0.1)),
    _guest(28, "a beige high collar before wood", {"african": 0.4, "caucasian": 0.6}, 1.0, 0.2, 0.75, BROWN,
           hair_length=1.5, curl=0.5, volume=0.25, neckline="high", cloth=(0.42, 0.29, 0.20), scene="panels",
           backdrop=(0.28, 0.14, 0.07), iris=BROWN_EYES),
    _guest(29, "a striped shirt and brown skin under a warm lamp", {"african": 0.3, "asian": 0.7}, 0.0, 0.6, 0.95,
           BLACK, hair_length=0.45, stripes=(0.5, 0.26, 0.16), cloth=(0.1, 0.1, 0.3), cast=(1.2, 0.97, 0.68),
           backdrop=(0.3, 0.25, 0.2), iris=BROWN_EYES, glasses=(0.02, 0.014, 0.01)),
)  # fmt: skip
