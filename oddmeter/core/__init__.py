"""The rules of the job: pure values and functions, without files, database, network, clock or framework."""
