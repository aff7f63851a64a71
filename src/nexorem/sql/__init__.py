"""A probe as one SQL statement: the logical plan, compiled for a database that holds the model's rows."""
