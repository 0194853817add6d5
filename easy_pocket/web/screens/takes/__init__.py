"""The Takes screen: play it in, keep every pass, sew the best bars together."""
