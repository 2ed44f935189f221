"""The job itself, in order of dependency: errors and findings, files, passes, depth, colour, recipe, pack."""
