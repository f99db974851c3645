"""The rules of measuring: arrays in, frozen values out. Imports nothing else of Galena."""
