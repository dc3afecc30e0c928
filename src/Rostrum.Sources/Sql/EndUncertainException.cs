using System.Data.Common;

namespace Rostrum.Sources.Sql;

/// <summary>The connection was lost while a transaction was ending: it is not known whether it did.</summary>
internal sealed class EndUncertainException(Exception cause) : Exception(cause.Message, cause)
{
    /// <summary>Ends a transaction, so that what it did is kept. Nobody who goes away can take it back once this is asked for.</summary>
    /// <exception cref="EndUncertainException">The connection was lost meanwhile.</exception>
    public static async Task CommitAsync(SqlEngine engine, DbTransaction transaction)
    {
        try
        {
            await transaction.CommitAsync(CancellationToken.None);
        }
        catch (Exception exception) when (engine.IsLoss(exception))
        {
            throw new EndUncertainException(exception);
        }
    }
}
