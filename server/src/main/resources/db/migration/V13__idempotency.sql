-- An idempotency key belongs to one document: the digest of the document tells whether a request is the same one again. Of orders
-- from before that it is not known.
alter table orders add column document_digest text;
