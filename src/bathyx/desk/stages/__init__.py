"""The stages in the maker's order: one file each, with its tile, its drawing and its card."""
