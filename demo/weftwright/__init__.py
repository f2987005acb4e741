"""Weftwright, a made-up weaving-draft editor: the program under test in demonstrations."""
