"""All computation of Agile Shadow. Nothing in here imports the interface toolkit."""
