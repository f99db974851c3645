"""How a channel is shown in an experiment: name, symbol, unit, decimals, correction."""
