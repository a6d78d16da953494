DROP TABLE book_parts;
