-- What is still to be changed, in its order: read again for each piece, without what changes nothing and stays open.
create index on bulk_row (bulk, lane, n) where outcome is null and look->>'is' = 'changed';
drop index bulk_row_bulk_lane_n_idx;
