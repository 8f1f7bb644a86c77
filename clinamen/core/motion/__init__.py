"""Drivers to channel values: easing, terms, mixes of terms; how the pointer settles; recorded hands to rehearse with."""
