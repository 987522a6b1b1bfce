"""The record of a hit: a row of numbers, and what stands where in it."""

# What a surface is at a hit, filled in before :func:`trasloco.render.closures.layered.weigh`.
COLOR, METAL, ROUGH_X, ROUGH_Y, INDEX, TINT = 0, 3, 4, 5, 6, 8
COAT, COAT_ALPHA, COAT_COLOR, COAT_DARKENING = 11, 12, 13, 16
SHEEN, SHEEN_ROUGHNESS, DULL_ROUGHNESS = 17, 20, 21
THROUGH, SOLID, BEHIND = 22, 23, 24
TRANSLUCENT, TRANSLUCENT_COLOR, BELOW = 25, 26, 29
T, B, N, G, CN = 30, 33, 36, 39, 42
VIEWER = 45
# What :func:`trasloco.render.closures.layered.weigh` works out.
LO, W_SHEEN, W_COAT, W_METAL, W_GLASS, W_DULL, W_BACK, W_THROUGH = 48, 51, 54, 55, 56, 57, 58, 59
E_EO, K_METAL, ETA, OUTER, THIN, SUBSURFACE = 60, 61, 64, 65, 68, 69
P_SHEEN, P_COAT, P_SHINE, P_DULL, P_BACK, P_THROUGH = 70, 71, 72, 73, 74, 75
# A film over the boundary (filled in before), and by colour what it leaves to what lies below, over what the
# bare boundary leaves (worked out).
FILM, FILM_INDEX, FILM_NM, UNDER = 76, 77, 78, 79
# Which light a path carries through what bends colours apart: red (-1), all or green (0), blue (1).
WAVE = 82
LENGTH = 83
