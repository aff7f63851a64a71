"""The heart: model, language, evaluation and explanation. Pure: no server, SQL, files or clock in here."""
