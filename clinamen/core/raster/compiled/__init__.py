"""The raster in compiled code: kernels that draw tiles; `table` says what they are told. Imported only where frames are made."""
