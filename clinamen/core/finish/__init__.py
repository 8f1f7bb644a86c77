"""What look, light and air make of a layer's art: `finish_of` a layer, baked by exports and shown by the editor."""

from clinamen.core.finish.layers import Finish, Worn, brought_together, finish_of, finished_cells, worn_by

__all__ = ["Finish", "Worn", "brought_together", "finish_of", "finished_cells", "worn_by"]
