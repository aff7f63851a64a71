"""What a person does with a model, without a server and without SQL: each call knows who does it."""
