"""The first hour: four steps on one line, from an empty dairy to its first sheet."""
