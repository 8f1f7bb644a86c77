"""Films: what is filmed (`course`, `subject`), how frames are drawn (`shooting`) and made a file (`formats`, `coder`, `film`)."""
