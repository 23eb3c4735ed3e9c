"""Work that takes its time: asked for, carried out by the worker, watched, stopped, its answer kept."""
