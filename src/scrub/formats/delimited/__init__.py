"""Tables as text, .csv and .tsv: encoding, delimiter, line ends and quotes are found, and kept on writing."""
