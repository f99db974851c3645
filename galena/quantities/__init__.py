"""The page of quantities: formulas with a preview, uncertainty rules, givens.

May import: desk, recording, bench, experiments, classroom, shell, core.
"""
