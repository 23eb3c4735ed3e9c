"""What all rooms of the application use: refusals, files, processes, kernels."""
