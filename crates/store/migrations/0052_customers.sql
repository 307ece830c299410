-- What the customers of a contact type are like beside its targets: who calls again, and kinds of customers.
ALTER TABLE contact_types ADD COLUMN habits jsonb NOT NULL DEFAULT '{}';
