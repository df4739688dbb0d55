"""Which original a file may be a proxy of: names, what files say of themselves, picture, sound, and who gets whom."""
