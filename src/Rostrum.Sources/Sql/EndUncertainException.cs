namespace Rostrum.Sources.Sql;

/// <summary>The connection was lost while a transaction was ending: it is not known whether it did.</summary>
internal sealed class EndUncertainException(Exception cause) : Exception(cause.Message, cause);
