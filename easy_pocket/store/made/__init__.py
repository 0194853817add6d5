"""What is made once and may be asked for in any process: sounds as they are rendered, what a page was told to play, the
state of long work. It lies in one place that all processes of a server share, is found by its key, and can be made
again when it is gone."""
