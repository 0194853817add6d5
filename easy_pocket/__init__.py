"""Easy Pocket: write drum patterns, and see, hear and measure their pocket."""
