"""What a person does with files, step by step: dialogs, reading, saving."""
