"""Compiled code: kernels that draw tiles and light art; `table` says what tiles are told. Imported only to make pictures."""
