-- How much a subscription of each tier weighs, and since when: JSON of tally_core::measure::Weights.
ALTER TABLE channels
    ADD COLUMN weights VARCHAR(4000) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '[[-9223372036854775808,[1,2,5]]]',
    DROP COLUMN weight_1, DROP COLUMN weight_2, DROP COLUMN weight_3;
