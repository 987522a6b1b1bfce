"""Names for the columns of rows that kernels read: lamps and the camera."""

# A lamp (16 numbers): what it is, where it stands and looks, its coloured strength, the cosines of a spot's
# cone, whether it casts shadows, the cosine of
# half the angle a sun is seen at, and the layers that its light is kept in when it comes straight and after
# bounces.
KIND, PLACE, LOOKS, POWER, COS_INNER, COS_OUTER, SHADOWS, COS_RADIUS, LAYER, LATER_LAYER = (
    0,
    1,
    4,
    7,
    10,
    11,
    12,
    13,
    14,
    15,
)
LAMP_COLUMNS = 16
SUN, POINT, SPOT = 0.0, 1.0, 2.0

# The camera (18 numbers): its eye, the picture's half sides to the right and up, the way forward, the lens's
# radius and the distance in focus in metres, the
# pixel filter's radius in pixels, the number of the set of random numbers, whether it is a preview, and
# whether paths start under texels instead.
EYE, RIGHT, UP, FORWARD, LENS, FOCUS, FILTER, SET, PREVIEW, UNDER_TEXELS = 0, 3, 6, 9, 12, 13, 14, 15, 16, 17
