"""What ASC MHL calls its folder and files."""

FOLDER, CHAIN, ENDING = "ascmhl", "ascmhl_chain.xml", ".mhl"
