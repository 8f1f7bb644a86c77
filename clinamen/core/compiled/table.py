"""The columns of the two tables that tell the compiled code what lies where: `WHOLE` numbers and `REAL` numbers a sheet."""

# --- whole numbers -------------------------------------------------------------------------------------------------------
UPRIGHT = 0  # 1: axes stay axes and nothing recedes, so columns and rows are sampled apart
BLEND = 1  # place among the document's modes, 0 is normal
REPEAT_X, REPEAT_Y = 2, 3  # 0 none, 1 tile, 2 mirror
LEFT, TOP, RIGHT, BOTTOM = 4, 5, 6, 7  # canvas pixels that the sheet can reach
FILLED, SOLID, CELLS_X, CELLS_Y = 8, 9, 10, 11  # addresses of the summed tables of cells, and how many there are
MASK = 12  # address of a mask over the canvas, or 0
COLOUR = 13  # 1: the colours go through a matrix
COVERS = 14  # 1: where the art is opaque, nothing behind it is seen
LEVELS = 15
FLOATS = 16  # 1: the art is made of floats
FRONTAL = 17  # 1: nothing recedes
LEVEL = 18  # the level that a draft, or an upright sheet, is taken from
TAPS_X, TAPS_Y = 19, 20  # of an upright sheet's filter: 2 between two, or as the fitted tables have
FIRST_LEVEL, LEVEL_COLUMNS = 21, 4  # of each level: address, row length, width, height
ADDRESS, ROW, WIDTH, HEIGHT = 0, 1, 2, 3
MOST_LEVELS = 13
WHOLE_COLUMNS = FIRST_LEVEL + LEVEL_COLUMNS * MOST_LEVELS

# --- real numbers --------------------------------------------------------------------------------------------------------
INVERSE = 0  # nine: from canvas pixels to the art's pixels
OPACITY = 9
MATRIX = 10  # twelve: what the colours go through
# art pixels of the level that a canvas pixel covers, where an upright sheet's filter is fitted
STRETCH_X, STRETCH_Y = 22, 23
REAL_COLUMNS = 24

# --- tiles, cells, borders -----------------------------------------------------------------------------------------------
TILE_HEIGHT = 16
# px: of tiles where most sheets stand upright, and where they lean: in narrow ones less is empty, in wide ones loops are longer
WIDE, NARROW = 96, 48
# floats from one row of a tile's planes to the next, beyond its width: what a shift reads there, nobody uses
BEYOND = 8
PLANE = (WIDE + BEYOND) * TILE_HEIGHT + 8
CELL = 16  # px of art that a cell of the tables is wide and high
BORDER = 4  # px around every level: clear, or what a repeat brings there; as far as four taps can look beyond the edge
MOST_STRETCH = 4.0  # of an upright sheet
DENSEST = 3.0  # art denser than this is taken from the next level, half as dense
MOST_TAPS = 6
BLOCK = (WIDE + BEYOND) * (int(TILE_HEIGHT * MOST_STRETCH) + MOST_TAPS + 8)  # floats: a tile's art rows, filtered along
FULL = 1 / 1024  # px: when no more of a tile is left to be seen, nothing behind is looked at
