"""Starting Easy Pocket: the database server, migrations, the demo, and the pages."""
