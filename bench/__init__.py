"""Benchmarks: they print figures and never fail; timed tests would lie on a noisy machine."""
