"""The bench grid: rows are candidates, columns passages, a cell a take."""
