"""Drivers to pose: easing, tracks, pointer settling, and recorded hands to rehearse with."""
