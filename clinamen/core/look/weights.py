"""Shares of red, green and blue in luminance (Rec. 709, as Filter Effects Level 1 takes them of coded values)."""

LUMINANCE = (0.2126, 0.7152, 0.0722)
