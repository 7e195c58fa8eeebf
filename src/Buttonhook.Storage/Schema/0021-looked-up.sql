-- Columns by which rows are looked up, and which no key begins with.
CREATE INDEX settings_of_boot ON settings (boot_id);
CREATE INDEX image_copies_of_board ON image_copies (board_id);
