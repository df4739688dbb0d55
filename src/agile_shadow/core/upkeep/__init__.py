"""Pairs of a project: finding files for its clips, taking them, proving pairs, finding missing files again."""
